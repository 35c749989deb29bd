/* Files that earlier versions made are opened by this one. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "store/journal/journal.h"

/* A copy in the scratch folder, since some are brought up to date. */
static const char *take(const char *name, const char *as)
{
    g_autofree char *path = g_build_filename(WRY_SOURCE_DIR, "tests", "earlier_files", name, NULL);
    g_autofree char *bytes = NULL;
    gsize n = 0;

    CHECK(g_file_get_contents(path, &bytes, &n, NULL));
    if (bytes)
        scratch_write(as, bytes, n);
    return scratch_file(as);
}

/* Its address comes from its name: it is the board that the archive is of. */
static void add_pier(void)
{
    command("bench", "remove", "pier", NULL);
    EXPECT(0, "02:57:AB:FC:00:DD",
           command("bench", "add", "pier", "--chip", "sanderling-s1", "--flash", "512KiB", NULL));
}

static void an_archive_of_version_1_goes_back(void)
{
    const char *archive = take("archive-1.zip", "archive-1.zip");
    static const char text[] = "tide gauge of the harbour, pier 7\n";
    size_t n = 0;

    add_pier();
    EXPECT(0, "12 KiB", command("inspect", archive, NULL));
    EXPECT(0, "Restored",
           command("restore", archive, "-l", "bench:pier", "--without-backup", NULL));
    g_autofree uint8_t *flash = scratch_flash("pier", &n);
    for (size_t i = 0; i < 300; i++)
        CHECK(memcmp(flash + i * (sizeof text - 1), text, sizeof text - 1) == 0);
}

static void a_kit_of_version_1_is_run(void)
{
    const char *kit = take("kit-1.zip", "kit-1.zip");

    add_pier();
    EXPECT(0, "is valid", command("card", "check", kit, NULL));
    EXPECT(0, "PASSED", command("card", "run", kit, "--link", "bench:pier", NULL));
}

static void a_ledger_of_version_1_is_read_and_gone_on_with(void)
{
    const char *ledger = take("ledger-1.db", "ledger-1.db");

    add_pier();
    struct said said = command("ledger", "list", "--ledger", ledger, NULL);
    EXPECT(0, "Pier gauges", said);
    CHECK(says(&said, "02:57:52:01:02:03") && says(&said, "passed") && says(&said, "cut"));
    /* Whatever a row lacks, every view of it stands. */
    EXPECT(0, "cut",
           command("ledger", "show", "11111111-0000-4000-8000-000000000002", "--ledger", ledger,
                   NULL));
    EXPECT(0, "\"cut\"", command("ledger", "list", "--json", "--ledger", ledger, NULL));
    EXPECT(0, "Pier gauges", command("ledger", "export", "--csv", "--ledger", ledger, NULL));
    EXPECT(0, "Pier gauges", command("ledger", "export", "--json", "--ledger", ledger, NULL));
    EXPECT(0, "Pier gauges", command("ledger", "report", "--ledger", ledger, NULL));
    EXPECT(
        0, "Backed up",
        command("backup", scratch_file("later.zip"), "-l", "bench:pier", "--ledger", ledger, NULL));
    said = command("ledger", "list", "--ledger", ledger, NULL);
    EXPECT(0, "02:57:AB:FC:00:DD", said);
    CHECK(says(&said, "Pier gauges") && says(&said, "02:57:52:01:02:03"));
}

static void journals_of_versions_1_and_2_keep_what_they_kept(void)
{
    static const char *const names[] = {"journal-1.db", "journal-2.db"};
    static const struct wry_hello_reply board = {.eui48 = {2, 0, 0, 0, 0, 1},
                                                 .chip_code = 0x7402,
                                                 .capacity = 0x400000,
                                                 .jedec = {0x7F, 0x51, 0x16}};
    struct wry_journal_sector was;
    uint8_t shall[WRY_SECTOR_SIZE];

    for (size_t i = 0; i < G_N_ELEMENTS(names); i++) {
        g_autofree char *as = g_strdup_printf("of-%zu/journal.db", i + 1);
        g_autofree char *folder = g_path_get_dirname(scratch_file(as));
        GError *error = NULL;
        check_context("%s", names[i]);
        CHECK_EQUAL(0, g_mkdir(folder, 0700));
        take(names[i], as);
        struct journal *journal = journal_open(folder, (struct wry_stop){0}, &error);
        CHECK(journal != NULL);
        journal_set_board(journal, &board);
        CHECK_EQUAL(WRY_KEPT_YES, journal_callbacks(journal)->saved(journal, &was, shall));
        CHECK_EQUAL(0x4000, was.offset);
        CHECK(memcmp(was.bytes, "old tide table; ", 16) == 0);
        CHECK(memcmp(shall, i == 0 ? "old tide table; " : "new tide table; ", 16) == 0);
        journal_close(journal);
    }
    check_context(NULL);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(an_archive_of_version_1_goes_back),
        FACT(a_kit_of_version_1_is_run),
        FACT(a_ledger_of_version_1_is_read_and_gone_on_with),
        FACT(journals_of_versions_1_and_2_keep_what_they_kept),
    };
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);

    scratch_remove();
    return code;
}
