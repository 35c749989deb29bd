/* The jigs of examples/, on served boards and in real time. */
#include <glib.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "programs.h"
#include "served.h"

/* An instrumented library cannot be loaded by a program that is not, and its coroutines would be
 * taken for faults. */
#ifdef __SANITIZE_ADDRESS__
#define IS_INSTRUMENTED true
#else
#define IS_INSTRUMENTED false
#endif

/* The examples for many boards, from the installed headers alone: a thread for each in a main loop,
 * and coroutines on one thread with ports of the program's own. */
static void jigs_write_two_boards_at_once(void)
{
    static const char *const jigs[] = {"bin/example_main_loop_jig", "bin/example_one_thread_jig"};
    struct wry_boot_header header = program_header("2.4.0", 20000);
    struct served one, other;
    size_t n = 0, length = 0;

    program_write("small.bin", &header);
    g_autofree uint8_t *image = scratch_read("small.bin", &length);
    for (size_t i = 0; i < (IS_INSTRUMENTED ? 1 : G_N_ELEMENTS(jigs)); i++) {
        check_context("%s", jigs[i]);
        g_autofree char *first = g_strdup_printf("jig-1-%zu", i);
        g_autofree char *second = g_strdup_printf("jig-2-%zu", i);
        g_autofree char *path = g_strdup(scratch_file("small.bin"));
        served_new(&one, first);
        served_new(&other, second);
        struct said said = run_program(jigs[i], path, one.pty, other.pty, NULL);
        EXPECT(0, "done and verified", said);
        CHECK(says(&said, one.pty) && says(&said, other.pty));
        served_end(&one);
        served_end(&other);
        for (size_t k = 0; k < 2; k++) {
            g_autofree uint8_t *flash = scratch_flash(k == 0 ? first : second, &n);
            /* But for its header, which is set to the board's flash size. */
            CHECK(memcmp(flash + 0x40000 + 64, image + 64, length - 64) == 0);
        }
    }
    check_context(NULL);
}

/* All that belongs to one board, in C and in Python, does the same to two served boards, and each
 * leaves one row. */
static void the_jigs_in_c_and_python_do_the_same(void)
{
    static const char library[] = WRY_LIBRARY;
    struct served boards[2];
    size_t n = 0, length = 0;
    g_autofree char *path = g_strdup(scratch_file("gauge.bin"));
    g_autofree char *ledger = g_strdup(scratch_file("jigs.db"));

    if (IS_INSTRUMENTED)
        return;
    g_setenv("WRYTOGRAPH_LEDGER", ledger, TRUE);
    g_setenv("WRYTOGRAPH_LIBRARY", library, TRUE);
    served_new(&boards[0], "jig-c");
    served_new(&boards[1], "jig-python");
    struct said said =
        run_program("bin/example_production_jig", path, "datum_mm=-1801", boards[0].link, NULL);
    EXPECT(0, "done and verified", said);
    CHECK(says(&said, "sectors written; backup "));
    said = run_program("python3", WRY_SOURCE_DIR "/examples/production_jig.py", path,
                       "datum_mm=-1801", boards[1].link, NULL);
    EXPECT(0, "done and verified", said);
    CHECK(says(&said, "sectors written; backup "));
    served_end(&boards[0]);
    served_end(&boards[1]);
    g_autofree uint8_t *by_c = scratch_flash("jig-c", &n);
    g_autofree uint8_t *by_python = scratch_flash("jig-python", &length);
    CHECK(by_c && by_python && n == length && memcmp(by_c, by_python, n) == 0);
    said = command("ledger", "list", "--card", "production jig", NULL);
    EXPECT(0, "passed", said);
    g_auto(GStrv) lines = g_strsplit(said.out, "production jig", -1);
    CHECK_EQUAL(3, g_strv_length(lines));
    EXPECT(4, "no answer",
           run_program("bin/example_production_jig", path, "a=b", "bench:jig-none", NULL));
    EXPECT(4, "'jig-none' is not a board of the bench",
           run_program("python3", WRY_SOURCE_DIR "/examples/production_jig.py", path, "a=b",
                       "bench:jig-none", NULL));
    g_unsetenv("WRYTOGRAPH_LEDGER");
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(jigs_write_two_boards_at_once),
        FACT(the_jigs_in_c_and_python_do_the_same),
    };

    scratch_make_images();
    int result = run_facts(facts, G_N_ELEMENTS(facts), argc, argv);
    scratch_remove();
    return result;
}
