/* Releases: a folder, a ZIP or a table of places goes to the board; nothing is guessed. And an
 * image of the shelf is picked at a terminal. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>

#include "command.h"
#include "desk.h"
#include "harness.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/bytes.h"

enum {
    APP = 0x40000, /* offset of the application */
};

/* Files into a folder or ZIP of the scratch folder: "NAME=SOURCE", then NULL. */
static const char *make_release(const char *name, ...)
{
    static const char script[] =
        "import os, shutil, sys, zipfile\n"
        "to, pairs = sys.argv[1], [p.split('=') for p in sys.argv[2:]]\n"
        "if to.endswith('.zip'):\n"
        "    with zipfile.ZipFile(to, 'w') as z:\n"
        "        for name, source in pairs: z.write(source, name)\n"
        "else:\n"
        "    for name, source in pairs:\n"
        "        os.makedirs(os.path.dirname(os.path.join(to, name)), exist_ok=True)\n"
        "        shutil.copy(source, os.path.join(to, name))\n";
    char *pairs[8] = {NULL};
    va_list rest;
    const char *to = scratch_file(name), *pair;
    size_t n = 0;

    va_start(rest, name);
    while ((pair = va_arg(rest, const char *))) {
        g_auto(GStrv) parts = g_strsplit(pair, "=", 2);
        pairs[n++] = g_strdup_printf("%s=%s", parts[0], scratch_file(parts[1]));
    }
    va_end(rest);
    EXPECT(0, "",
           run_program("python3", "-c", script, to, pairs[0], pairs[1], pairs[2], pairs[3],
                       pairs[4], pairs[5], pairs[6], NULL));
    for (size_t i = 0; i < n; i++)
        g_free(pairs[i]);
    return to;
}

static unsigned leftovers(void)
{
    g_autoptr(GDir) folder = g_dir_open(g_get_tmp_dir(), 0, NULL);
    unsigned count = 0;

    for (const char *name; (name = g_dir_read_name(folder));)
        count += g_str_has_prefix(name, ".wrytograph-release") ? 1 : 0;
    return count;
}

static void a_release_goes_to_its_places(void)
{
    unsigned before = leftovers();
    static const char *const forms[] = {"release.zip", "release"};

    scratch_text("notes.txt", "read me\n");
    for (size_t i = 0; i < G_N_ELEMENTS(forms); i++) {
        check_context("%s", forms[i]);
        g_autofree char *board = g_strdup_printf("release-%zu", i);
        const char *release =
            make_release(forms[i], "a/start.bin=start.bin", "a/regions.bin=regions.bin",
                         "gauge.bin=gauge.bin", "notes.txt=notes.txt", NULL);
        scratch_use_gauge(board, "none");
        struct said said = command("write", release, NULL);
        EXPECT(0, "Written", said);
        CHECK(says(&said, "taken      start.bin (gauge-start 1.2.0) for region start"));
        CHECK(says(&said, "notes.txt: it has no boot header"));
        EXPECT(0, "agrees",
               command("verify", placed("app", "gauge.bin"), placed("start", "start.bin"), NULL));
        EXPECT(0, "", command("verify", release, NULL));
        EXPECT(0, "The plan is valid",
               command("plan", release, "--chip", "turnstone-t2", "--flash", "4MiB", NULL));
    }
    check_context(NULL);
    CHECK_EQUAL(before, leftovers());
    /* Nothing of it fits another chip. */
    EXPECT(0, "", command("bench", "add", "other", "--chip", "dunlin-d3", "--flash", "4MiB", NULL));
    struct said said = command("write", scratch_file("release.zip"), "--link", "bench:other", NULL);
    EXPECT(5, "has no image for this board", said);
    CHECK(says(&said, "gauge.bin (tide-gauge 2.3.1): it is for another chip"));
    CHECK_EQUAL(before, leftovers());
}

/* Two builds for one region: they are named, and nothing is written. */
static void what_is_ambiguous_is_not_guessed(void)
{
    size_t n = 0;
    struct wry_boot_header header;

    scratch_use_gauge("ambiguous", "none");
    g_autofree uint8_t *flash = scratch_flash("ambiguous", &n);
    /* The application that the board has is another version. */
    CHECK(wry_boot_header_get(&header, flash + APP));
    scratch_write("older.bin", flash + APP,
                  WRY_BOOT_HEADER_SIZE + header.body_length + WRY_SHA256_SIZE);
    const char *release = make_release("two", "new/gauge.bin=gauge.bin", "old/gauge.bin=older.bin",
                                       "start.bin=start.bin", NULL);
    struct said said = command("write", release, NULL);
    EXPECT(2, "has several images for region 'app'", said);
    CHECK(says(&said, "tide-gauge 2.3.1") && says(&said, "tide-gauge 2.3.0"));
    CHECK(scratch_flash_is("ambiguous", flash, n));
    /* The choice of the user takes its place. */
    said = command("write", release, placed("app", "gauge.bin"), NULL);
    EXPECT(0, "Written", said);
    CHECK(says(&said, "another file is given for its region"));
    /* A backup is no release. */
    EXPECT(0, "", command("backup", scratch_file("whole.zip"), NULL));
    said = command("write", scratch_file("whole.zip"), NULL);
    EXPECT(3, "whole.zip is a backup, not an image", said);
    CHECK(says(&said, "'wrytograph restore' writes it back."));
}

static void a_table_of_places(void)
{
    static const struct {
        const char *text, *told;
    } wrong[] = {
        {"0x40q00 start.bin\n", "places.txt:1: this is not an offset"},
        {"\n# only this\n", "names no image"},
        {"0x4000\n", "places.txt:1: there is no file"},
        {"# x\n0x4000=start.bin\n", "places.txt:2: '=' does not belong here"},
        {"0x4000 nothing.bin\n", "places.txt:1: there is no file /"},
        {"0x4000 start.bin\n0x4800 regions.bin\n", "overlap"},
    };

    scratch_use_gauge("table", "none");
    scratch_text("places.txt", "# offsets of the release\r\n0x4000\tstart.bin\r\n\r\n"
                               "  table  regions.bin   # its table\r\napp gauge.bin\r\n");
    EXPECT(0, "Written, and verified by the board's SHA-256: 942,972 bytes",
           command("write", "--places", scratch_file("places.txt"), NULL));
    EXPECT(0, "", command("verify", "--places", scratch_file("places.txt"), NULL));
    for (size_t i = 0; i < G_N_ELEMENTS(wrong); i++) {
        check_context("%zu", i);
        scratch_text("places.txt", wrong[i].text);
        struct said said = command("write", "--places", scratch_file("places.txt"), NULL);
        CHECK(said.code == 2 || said.code == 3);
        CHECK(says(&said, wrong[i].told));
    }
    check_context(NULL);
    EXPECT(3, "No such file", command("write", "--places", "/nowhere/places.txt", NULL));
}

static void an_image_is_chosen_at_a_terminal(void)
{
    struct desk desk;

    scratch_use_gauge("chosen", "none");
    g_setenv("WRYTOGRAPH_SHELF", scratch_file("shelf"), TRUE);
    EXPECT(0, "Added",
           command("shelf", "add", scratch_file("gauge.bin"), scratch_file("start.bin"), NULL));
    EXPECT(2, "'shelf choose' asks at a terminal", command("shelf", "choose", NULL));
    desk_begin(&desk, 100, 30, "shelf", "choose", NULL);
    CHECK(desk_see(&desk, "Enter for none: "));
    CHECK(strstr(desk.seen->str, "tide-gauge 2.3.0") &&
          strstr(desk.seen->str, "gauge-start 1.0.2"));
    desk_type(&desk, "2\n");
    CHECK(desk_see(&desk, "Written, and verified"));
    desk_watch(&desk);
    CHECK_EQUAL(0, desk_end(&desk));
    EXPECT(0, "", command("verify", placed("app", "gauge.bin"), NULL));
    static const struct {
        const char *keys, *told;
        int code;
    } others[] = {{"\n", "Nothing was written.", 0},
                  {"7\n", "there is no image 7 in the list", 2},
                  {"two\n", "Nothing was written.", 0}};
    for (size_t i = 0; i < G_N_ELEMENTS(others); i++) {
        check_context("%zu", i);
        desk_begin(&desk, 100, 30, "shelf", "choose", NULL);
        CHECK(desk_see(&desk, "Enter for none: "));
        desk_type(&desk, others[i].keys);
        CHECK(desk_see(&desk, others[i].told));
        desk_watch(&desk);
        CHECK_EQUAL(others[i].code, desk_end(&desk));
    }
    check_context(NULL);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_release_goes_to_its_places),
        FACT(what_is_ambiguous_is_not_guessed),
        FACT(a_table_of_places),
        FACT(an_image_is_chosen_at_a_terminal),
    };

    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);

    scratch_remove();
    return code;
}
