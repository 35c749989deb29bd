/* The shelf: what goes onto it, what fits which board, and what is taken from it. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>
#include <zip.h>

#include "command.h"
#include "harness.h"
#include "programs.h"
#include "tables.h"

static void make_download(void)
{
    struct wry_boot_header header = program_header("tide-gauge 2.9.0", 4000);
    static const char page[] = "<!DOCTYPE html><html></html>\n";

    CHECK_EQUAL(0, g_mkdir_with_parents(scratch_file("builds/older"), 0755));
    program_write("builds/older/a.bin", &header);
    header = program_header("tide-gauge 2.10.0", 4100);
    program_write("builds/b.bin", &header);
    header.chip_code = 0xD103;
    header.flash_size_log2 = 21;
    program_write("builds/dunlin.bin", &header);
    header = program_header("tide-gauge 3.0.0", 4200);
    header.flash_size_log2 = 24;
    program_write("builds/large.bin", &header);
    header = program_header("tide-gauge-up 1.0", 4300);
    header.only_upgrade = true;
    program_write("builds/up.bin", &header);
    scratch_write("builds/page.bin", page, sizeof page - 1);
}

static const char *const release[] = {"start.bin", "regions.bin", "gauge.bin"};

/* An empty shelf of this name, for the commands that follow. */
static void use_shelf(const char *name)
{
    g_autofree char *folder = g_build_filename(scratch(), "shelves", name, NULL);

    CHECK_EQUAL(0, g_mkdir_with_parents(folder, 0755));
    g_setenv("WRYTOGRAPH_SHELF", folder, TRUE);
    g_unsetenv("WRYTOGRAPH_LINK");
    make_download();
}

/* One that holds the download and the release. */
static void use_full_shelf(const char *name)
{
    use_shelf(name);
    EXPECT(0, "Added to the shelf: 5", command("shelf", "add", scratch_file("builds"), NULL));
    for (size_t i = 0; i < G_N_ELEMENTS(release); i++)
        EXPECT(0, "Added to the shelf: 1", command("shelf", "add", scratch_file(release[i]), NULL));
}

static void files_folders_and_zips_go_onto_the_shelf(void)
{
    use_shelf("empty");
    EXPECT(0, "The shelf is empty", command("shelf", "list", NULL));
    struct said said = command("shelf", "add", scratch_file("builds"), NULL);
    EXPECT(0, "Added to the shelf: 5; already there: 0; the others are not images", said);
    CHECK(says(&said, "page.bin: it has no boot header"));
    EXPECT(0, "Added to the shelf: 0; already there: 1",
           command("shelf", "add", scratch_file("builds/b.bin"), NULL));
    int code = 0;
    zip_t *zip = zip_open(scratch_file("release.zip"), ZIP_CREATE, &code);
    for (size_t i = 0; i < G_N_ELEMENTS(release); i++) {
        g_autofree char *inside = g_strdup_printf("release-2.3/%s", release[i]);
        zip_source_t *source = zip_source_file(zip, scratch_file(release[i]), 0, -1);
        CHECK(zip_file_add(zip, inside, source, ZIP_FL_ENC_UTF_8) >= 0);
    }
    CHECK_EQUAL(0, zip_close(zip));
    EXPECT(0, "Added to the shelf: 3", command("shelf", "add", scratch_file("release.zip"), NULL));
    EXPECT(3, "none of these files is an image for the shelf",
           command("shelf", "add", scratch_file("builds/page.bin"), NULL));
    EXPECT(3, "No such file", command("shelf", "add", scratch_file("none.bin"), NULL));
    said = command("shelf", "list", NULL);
    EXPECT(0, "tide-gauge-up", said);
    /* 2.10 is newer than 2.9, and newest comes first. */
    const char *newer = strstr(said.out, "2.10.0"), *older = strstr(said.out, "2.9.0");
    CHECK(newer && older && newer < older);
}

static void damaged_images_stay_off_it(void)
{
    size_t n = 0;

    use_shelf("damaged");
    g_autofree uint8_t *bytes = scratch_read("builds/b.bin", &n);
    bytes[n / 2] ^= 1;
    scratch_write("damaged.bin", bytes, n);
    EXPECT(3, "damaged or cut short", command("shelf", "add", scratch_file("damaged.bin"), NULL));
    /* A flash that begins with a program is no image of it. */
    g_autofree uint8_t *flash = g_malloc0(0x10000);
    bytes[n / 2] ^= 1;
    memcpy(flash, bytes, n);
    scratch_write("creek.raw", flash, 0x10000);
    EXPECT(3, "has more content after its program",
           command("shelf", "add", scratch_file("creek.raw"), NULL));
    scratch_write("broken.zip", "PK\003\004 and no more", 17);
    EXPECT(3, "not a complete ZIP", command("shelf", "add", scratch_file("broken.zip"), NULL));
}

static void the_list_says_which_fit_and_why_not(void)
{
    use_full_shelf("listed");
    scratch_add_gauge("listed");
    struct said said = command("shelf", "list", "--link", "bench:listed", NULL);
    EXPECT(0, "fits region app", said);
    CHECK(says(&said, "no: for another chip"));
    CHECK(says(&said, "no: for more flash than 4 MiB"));
    CHECK(says(&said, "fits region app, only as an upgrade"));
    CHECK(says(&said, "fits region table"));
    said = command("shelf", "list", "--chip", "dunlin-d3", "--flash", "4MiB", NULL);
    EXPECT(0, "no: the flash has no region of its kind", said);
    CHECK(says(&said, "fits region app"));
    EXPECT(0, "\"fits\" : true",
           command("shelf", "list", "--json", "--chip", "dunlin-d3", "--flash", "4MiB", NULL));
    EXPECT(2, "belong together", command("shelf", "list", "--chip", "dunlin-d3", NULL));
    EXPECT(2, "is not a flash size of a Dunlin D3",
           command("shelf", "list", "--chip", "dunlin-d3", "--flash", "1K", NULL));
}

static void several_that_fit_are_never_guessed_among(void)
{
    size_t n = 0;

    use_full_shelf("chosen");
    scratch_add_gauge("chosen");
    g_setenv("WRYTOGRAPH_LINK", "bench:chosen", TRUE);
    g_autofree uint8_t *before = scratch_flash("chosen", &n);
    struct said said = command("write", "app=shelf:tide-gauge", NULL);
    EXPECT(2, "several of 'tide-gauge' on the shelf fit this board", said);
    CHECK(says(&said, "tide-gauge 2.10.0\n  tide-gauge 2.9.0\n  tide-gauge 2.3.1"));
    CHECK(!says(&said, "tide-gauge 3.0.0"));
    EXPECT(5, "none of 'tide-gauge 3.0.0' on the shelf fits",
           command("write", "app=shelf:tide-gauge 3.0.0", NULL));
    EXPECT(2, "there is no 'tide-gage' on the shelf", command("write", "shelf:tide-gage", NULL));
    CHECK(scratch_flash_is("chosen", before, n));
    EXPECT(0, "tide-gauge 2.9.0 from the shelf into region app",
           command("write", "app=shelf:tide-gauge 2.9.0", NULL));
    EXPECT(2, "is the name of", command("shelf", "prefer", "tide-gauge", NULL));
    EXPECT(0, "is used if several", command("shelf", "prefer", "tide-gauge", "2.3.1", NULL));
    EXPECT(0, "tide-gauge 2.3.1 from the shelf",
           command("write", "shelf:tide-gauge", "start=shelf:gauge-start", NULL));
    EXPECT(0, "tide-gauge 2.3.1", command("start", "--expect", "tide-gauge 2.3.1", NULL));
    EXPECT(0, "digest fits; on the shelf", command("identify", "--deep", NULL));
    EXPECT(0, "agrees", command("verify", "app=shelf:tide-gauge 2.3.1", NULL));
}

static void what_is_removed_is_gone(void)
{
    use_full_shelf("removed");
    EXPECT(0, "is removed from the shelf", command("shelf", "remove", "tide-gauge 2.9.0", NULL));
    EXPECT(2, "there is no 'tide-gauge 2.9.0' on the shelf",
           command("shelf", "remove", "tide-gauge", "2.9.0", NULL));
    EXPECT(2, "choose add, list, choose, prefer, describe or remove", command("shelf", NULL));
    EXPECT(2, "'shelf' takes add", command("shelf", "sort", NULL));
}

/* Nothing there is one thing, and not to be read is another. */
static void a_shelf_that_cannot_be_used_is_no_empty_one(void)
{
    use_full_shelf("unusable");
    g_autofree char *own = g_strdup(g_getenv("WRYTOGRAPH_SHELF"));
    scratch_add_gauge("unusable");
    scratch_write("no-folder", "x", 1);
    g_setenv("WRYTOGRAPH_SHELF", scratch_file("no-folder"), TRUE);
    EXPECT(3, "no-folder", command("shelf", "list", NULL));
    EXPECT(3, "no-folder", command("write", "-l", "bench:unusable", "app=shelf:tide-gauge", NULL));
    EXPECT(0, "Note: the shelf cannot be read", command("identify", "-l", "bench:unusable", NULL));
    CHECK_EQUAL(0, g_mkdir(scratch_file("bad-shelf"), 0755));
    scratch_write("bad-shelf/shelf.db", "this is no database at all, but long enough", 43);
    g_setenv("WRYTOGRAPH_SHELF", scratch_file("bad-shelf"), TRUE);
    EXPECT(3, "not a database", command("shelf", "list", NULL));
    /* The schema's number stands from byte 60 on, big-endian; this makes it negative. */
    g_autofree char *path = g_build_filename(own, "shelf.db", NULL);
    g_autofree char *database = NULL;
    size_t n = 0;
    CHECK(g_file_get_contents(path, &database, &n, NULL) && n > 100);
    database[60] = (char)0xFF;
    scratch_write("bad-shelf/shelf.db", database, n);
    EXPECT(3, "which no version of this program gave", command("shelf", "list", NULL));
    g_setenv("WRYTOGRAPH_SHELF", own, TRUE);
}

/* Rows as no version of this program makes them: shown as what they are, and taken for nothing. */
static void odd_rows_are_shown_and_not_taken(void)
{
    static const char *const changes[] = {
        "UPDATE image SET name = CAST(x'FF1B5B324A' AS TEXT), size = -1",
        "UPDATE image SET chip = -1, flash = 9e99, kind = 1000, is_table = 'x'",
        "UPDATE image SET body = x'00', version = x'FF'",
        "CREATE TABLE other AS SELECT * FROM image; DROP TABLE image;"
        "ALTER TABLE other RENAME TO image; UPDATE image SET sha256 = NULL, name = NULL, "
        "version = NULL, file = NULL, added = NULL, body = NULL"};
    static const char *const lists[][2] = {{NULL, NULL}, {"--json", NULL}, {"-l", "bench:odd"}};

    use_full_shelf("odd");
    scratch_add_gauge("odd");
    for (size_t i = 0; i < G_N_ELEMENTS(changes); i++) {
        tables_change(scratch_file("shelves/odd/shelf.db"), changes[i]);
        for (size_t k = 0; k < G_N_ELEMENTS(lists); k++) {
            check_context("%s, list %s", changes[i], lists[k][0]);
            struct said said = command("shelf", "list", lists[k][0], lists[k][1], NULL);
            CHECK_EQUAL(0, said.code);
            CHECK(g_utf8_validate(said.out, -1, NULL) && strchr(said.out, 0x1B) == NULL);
        }
    }
    EXPECT(2, "", command("write", "-l", "bench:odd", "app=shelf:tide-gauge", NULL));
    check_context(NULL);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(files_folders_and_zips_go_onto_the_shelf),
        FACT(damaged_images_stay_off_it),
        FACT(the_list_says_which_fit_and_why_not),
        FACT(several_that_fit_are_never_guessed_among),
        FACT(what_is_removed_is_gone),
        FACT(a_shelf_that_cannot_be_used_is_no_empty_one),
        FACT(odd_rows_are_shown_and_not_taken),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
