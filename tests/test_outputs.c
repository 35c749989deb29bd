/* Outputs that end early: full disks, readers that are gone, and signals. */
#include <glib.h>
#include <glib/gstdio.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "cards.h"
#include "command.h"
#include "harness.h"
#include "rig.h"
#include "store/file/leftovers.h"
#include "store/file/spool.h"
#include "tables.h"
#include "wrytograph-host/atomic_file.h"

/* Through bash, whose $PIPESTATUS tells how the command ended before a pipe; $0 is the command. */
static struct said pipeline(const char *text)
{
    return run_program("bash", "-c", text, command_path(), NULL);
}

static void use_gauge(const char *name)
{
    scratch_add_gauge(name);
    g_autofree char *link = g_strconcat("bench:", name, NULL);
    g_setenv("WRYTOGRAPH_LINK", link, TRUE);
    g_setenv("S", scratch(), TRUE);
}

static void a_log_that_cannot_be_written_fails_listening(void)
{
    use_gauge("logged");
    EXPECT(1, "/dev/full: No space left on device",
           command("start", "--log", "/dev/full", "--send", "version", "--expect", "tide-gauge",
                   NULL));
    struct said said = command("listen", "--log", "/dev/full", NULL);
    EXPECT(1, "the log is not complete", said);
    CHECK(!says(&said, "expected output"));
    EXPECT(0, "", command("start", "--log", scratch_file("start.log"), NULL));
}

/* A limit on the size of files stands in for a full disk. */
static void a_report_that_does_not_fit_names_file_and_reason(void)
{
    use_gauge("reported");
    for (unsigned i = 0; i < 8; i++)
        EXPECT(0, "Erased", command("erase", "0x380000+4K", NULL));
    tables_change(g_getenv("WRYTOGRAPH_LEDGER"),
                  "UPDATE run SET outcome = 'failed', reason = hex(zeroblob(4000))");
    EXPECT(3, "report.html: File too large",
           pipeline("ulimit -f 32; \"$0\" ledger report -o $S/report.html"));
    EXPECT(3, "runs.json: File too large",
           pipeline("ulimit -f 32; \"$0\" ledger export --json -o $S/runs.json"));
    CHECK(!g_file_test(scratch_file("report.html"), G_FILE_TEST_EXISTS));
    CHECK(!g_file_test(scratch_file("runs.json"), G_FILE_TEST_EXISTS));
    EXPECT(1, "No space left on device", pipeline("\"$0\" ledger export --csv > /dev/full"));
}

static void work_on_a_board_goes_on_without_a_reader(void)
{
    use_gauge("unread");
    struct said said = pipeline("\"$0\" write app=$S/gauge.bin | true; echo ${PIPESTATUS[0]}");
    EXPECT(0, "could not be written to the standard output: Broken pipe", said);
    CHECK(strcmp(said.out, "1\n") == 0);
    EXPECT(0, "agrees", command("verify", placed("app", "gauge.bin"), NULL));
}

static void a_list_whose_reader_has_enough_ends_quietly(void)
{
    scratch_use_gauge("quiet", "none");
    EXPECT(0, "", command("erase", "log", NULL));
    struct said said = pipeline("\"$0\" ledger list --most 0 | head -n 1");
    CHECK_EQUAL(0, said.code);
    CHECK(said.err[0] == '\0');
    said = pipeline("\"$0\" listen | head -n 1; echo ${PIPESTATUS[0]}");
    EXPECT(0, "\n0\n", said);
}

static bool is_there(const char *path)
{
    GStatBuf info;

    return g_lstat(path, &info) == 0;
}

/* The name of another process's, and of one that has ended: this one's own with other numbers. */
static char *of_dead_process(const char *folder, const char *purpose)
{
    g_autofree char *own = leftovers_path(folder, purpose);
    char *start = strrchr(own, '-');

    *start = '\0';
    start = strrchr(own, '-');
    *start = '\0';
    return g_strdup_printf("%s-1-0", own);
}

static void what_a_killed_process_left_is_removed_whatever_its_name(void)
{
    const char *folder = scratch_file("left");
    CHECK_EQUAL(0, g_mkdir(folder, 0755));
    g_autofree char *part = of_dead_process(folder, "part"), *kit = of_dead_process(folder, "kit");
    g_autofree char *beside = g_strconcat(part, ".Xy12Qz", NULL);
    g_autofree char *own = leftovers_path(folder, "part");
    g_autofree char *inner = g_build_filename(kit, "0", "gauge.bin", NULL);
    g_autofree char *inner_folder = g_path_get_dirname(inner);
    g_autofree char *other =
        g_build_filename(folder, ".wrytograph-part-0123456789ab-01234567-1-1-1-0", NULL);

    CHECK_EQUAL(0, g_mkdir_with_parents(inner_folder, 0700));
    for (size_t i = 0; i < 5; i++)
        CHECK(g_file_set_contents((const char *[]){part, beside, own, inner, other}[i], "secret", 6,
                                  NULL));
    g_autofree char *path = g_build_filename(folder, "other.zip", NULL);
    CHECK(wry_atomic_file_save(path, "new", 3, FALSE, NULL));
    CHECK(!is_there(part) && !is_there(beside) && !is_there(kit));
    g_autofree char *spool = of_dead_process(folder, "spool");
    CHECK(g_file_set_contents(spool, "", 0, NULL));
    spool_free(spool_new(folder, NULL));
    CHECK(!is_there(spool));
    /* This process lives, and of another computer's nothing is known. */
    CHECK(is_there(own) && is_there(other));
}

static unsigned count_files(const char *text)
{
    struct said said = run_program("sh", "-c", text, NULL);

    return (unsigned)strtoul(said.out, NULL, 10);
}

/* -9 cannot be heard; the others end like Ctrl-C, with nothing left. */
static void signals_leave_no_half_backup(void)
{
    static const char *const names[] = {"TERM", "HUP", "QUIT", "INT"};

    use_gauge("signalled");
    for (size_t i = 0; i < G_N_ELEMENTS(names); i++) {
        g_autofree char *text = g_strdup_printf(
            "mkdir -p $S/killed; rm -f $S/served\n"
            "\"$0\" bench serve signalled > $S/served 2>&1 & serve=$!\n"
            "until link=$(grep -o 'rfc2217://[0-9.:]*' $S/served); do :; done\n"
            "env --default-signal=QUIT \"$0\" backup -l $link --speed 115200 $S/killed/b.zip > "
            "$S/said 2>&1 & job=$!\n"
            "until ls -A $S/killed | grep -q part; do kill -0 $job || break; done\n"
            "kill -%s $job; wait $job; code=$?; kill $serve; wait $serve; exit $code",
            names[i]);
        check_context("SIG%s", names[i]);
        struct said said = run_program("bash", "-c", text, command_path(), NULL);
        CHECK_EQUAL(9, said.code);
        CHECK_EQUAL(0, count_files("ls -A $S/killed | wc -l"));
    }
    check_context(NULL);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_log_that_cannot_be_written_fails_listening),
        FACT(a_report_that_does_not_fit_names_file_and_reason),
        FACT(work_on_a_board_goes_on_without_a_reader),
        FACT(a_list_whose_reader_has_enough_ends_quietly),
        FACT(what_a_killed_process_left_is_removed_whatever_its_name),
        FACT(signals_leave_no_half_backup),
    };

    scratch_make_images();
    int failed = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return failed;
}
