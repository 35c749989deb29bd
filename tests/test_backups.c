/* What is known of backups: who asks for one, whose calibration is whose, and parts put back. */
#include <glib.h>
#include <glib/gstdio.h>
#include <string.h>

#include "command.h"
#include "harness.h"
#include "tables.h"

static const char *link_of(const char *name)
{
    g_autofree char *link = g_strdup_printf("bench:%s", name);

    return g_intern_string(link);
}

/* Files in a folder of the scratch folder whose names end so. */
static unsigned count_files(const char *folder, const char *suffix)
{
    GDir *dir = g_dir_open(scratch_file(folder), 0, NULL);
    unsigned count = 0;
    const char *name;

    while (dir && (name = g_dir_read_name(dir)))
        count += g_str_has_suffix(name, suffix) ? 1 : 0;
    if (dir)
        g_dir_close(dir);
    return count;
}

static void add_gauge(const char *name, unsigned which)
{
    g_autofree char *content = g_strdup_printf("returned-%u.bin", which);

    EXPECT(0, "",
           command("bench", "add", name, "--chip", "turnstone-t2", "--flash", "4MiB", "--content",
                   scratch_file(content), NULL));
}

static void a_backup_without_a_name_goes_into_the_folder_of_backups(void)
{
    add_gauge("unnamed", 1);
    EXPECT(0, "none known; 'wrytograph backup' makes one",
           command("identify", "-l", link_of("unnamed"), NULL));
    EXPECT(0, "/bench/backups/0257", command("backup", "-l", link_of("unnamed"), NULL));
    CHECK_EQUAL(1, count_files("bench/backups", "Z.zip"));
    struct said said = command("identify", "-l", link_of("unnamed"), NULL);
    EXPECT(0, "less than an hour old", said);
    EXPECT(0, "Backed up",
           command("backup", "-l", link_of("unnamed"), "--into", scratch_file("elsewhere"), NULL));
    CHECK_EQUAL(1, count_files("elsewhere", "Z.zip"));
    /* Within a second, too, each has a name of its own. */
    for (unsigned i = 0; i < 4; i++)
        EXPECT(0, "Backed up",
               command("backup", "-l", link_of("unnamed"), "--into", scratch_file("often"), NULL));
    CHECK_EQUAL(4, count_files("often", ".zip"));
    EXPECT(2, "a file to back up to, and a folder",
           command("backup", "-l", link_of("unnamed"), "--into", scratch_file("elsewhere"),
                   scratch_file("x.zip"), NULL));
    g_setenv("WRYTOGRAPH_BACKUPS", scratch_file("named"), TRUE);
    EXPECT(0, "/named/0257", command("backup", "-l", link_of("unnamed"), NULL));
    g_unsetenv("WRYTOGRAPH_BACKUPS");
}

static void all_is_erased_only_where_a_backup_is_known(void)
{
    size_t n = 0;

    add_gauge("erased", 2);
    g_autofree uint8_t *before = scratch_flash("erased", &n);
    EXPECT(5, "no backup of the whole flash of board",
           command("erase", "-l", link_of("erased"), "all", NULL));
    EXPECT(5, "no backup of the whole flash of board",
           command("erase", "-l", link_of("erased"), "0x0+4M", NULL));
    EXPECT(0, "",
           command("backup", "-l", link_of("erased"), "--only", "calibration",
                   scratch_file("part.zip"), NULL));
    EXPECT(5, "(only of parts: ", command("erase", "-l", link_of("erased"), "all", NULL));
    EXPECT(0, "of parts only", command("identify", "-l", link_of("erased"), NULL));
    CHECK(scratch_flash_is("erased", before, n));
    EXPECT(0, "Nothing was erased",
           command("erase", "-l", link_of("erased"), "--dry-run", "all", NULL));
    EXPECT(0, "Erased", command("erase", "-l", link_of("erased"), "log", NULL));
    EXPECT(0, "", command("backup", "-l", link_of("erased"), scratch_file("whole.zip"), NULL));
    EXPECT(0, "Erased", command("erase", "-l", link_of("erased"), "all", NULL));
    EXPECT(0, "Restored",
           command("restore", "-l", link_of("erased"), scratch_file("whole.zip"), NULL));
    /* A file that is gone is no backup. */
    CHECK_EQUAL(0, g_unlink(scratch_file("whole.zip")));
    EXPECT(5, "no backup of the whole flash of board",
           command("erase", "-l", link_of("erased"), "all", NULL));
    EXPECT(0, "Erased", command("erase", "-l", link_of("erased"), "--without-backup", "all", NULL));
}

/* Archives that somebody put into the folder are known, too. */
static void what_lies_in_the_folder_is_known(void)
{
    add_gauge("brought", 3);
    CHECK_EQUAL(0, g_mkdir_with_parents(scratch_file("bench/backups"), 0755));
    EXPECT(0, "", command("backup", "-l", link_of("brought"), scratch_file("brought.zip"), NULL));
    CHECK_EQUAL(0,
                g_rename(scratch_file("brought.zip"), scratch_file("bench/backups/of-pier.zip")));
    scratch_write("bench/backups/broken.zip", "PK\003\004 nothing", 12);
    CHECK_EQUAL(0, g_unlink(scratch_file("bench/backups.db")));
    EXPECT(0, "of-pier.zip", command("identify", "-l", link_of("brought"), NULL));
    EXPECT(0, "Erased", command("erase", "-l", link_of("brought"), "all", NULL));
}

static void a_record_that_cannot_be_read_is_no_missing_backup(void)
{
    size_t n = 0;
    g_autofree uint8_t *record = scratch_read("bench/backups.db", &n);

    add_gauge("unread", 1);
    scratch_write("bench/backups.db", "this is no database at all, but long enough", 43);
    EXPECT(3, "the record of backups cannot be read",
           command("erase", "-l", link_of("unread"), "all", NULL));
    EXPECT(0, "backup    not known: ", command("identify", "-l", link_of("unread"), NULL));
    EXPECT(0, "could not be recorded",
           command("backup", "-l", link_of("unread"), scratch_file("unread.zip"), NULL));
    scratch_write("bench/backups.db", record, n);
    for (int i = 0; i < 2; i++)
        g_unlink(scratch_file(i == 0 ? "bench/backups.db-wal" : "bench/backups.db-shm"));
}

/* Rows as no version of this program makes them. */
static void odd_rows_are_no_backups(void)
{
    static const char *const changes[] = {
        "UPDATE backup SET path = CAST(path || x'FF' AS TEXT)",
        "UPDATE backup SET created = CAST(x'FF1B5B324A' AS TEXT), whole = 1",
        "CREATE TABLE other AS SELECT * FROM backup; DROP TABLE backup;"
        "ALTER TABLE other RENAME TO backup; UPDATE backup SET path = NULL, created = NULL",
        "CREATE TABLE more AS SELECT * FROM calibration; DROP TABLE calibration;"
        "ALTER TABLE more RENAME TO calibration; UPDATE calibration SET address = NULL",
        "UPDATE calibration SET address = '02:57:zz'"};

    add_gauge("odd", 1);
    EXPECT(0, "", command("backup", "-l", link_of("odd"), scratch_file("odd.zip"), NULL));
    EXPECT(0, "",
           command("backup", "-l", link_of("odd"), "--plain", "--only", "calibration",
                   scratch_file("odd.cal"), NULL));
    for (size_t i = 0; i < G_N_ELEMENTS(changes); i++) {
        check_context("%s", changes[i]);
        tables_change(scratch_file("bench/backups.db"), changes[i]);
        struct said said = command("identify", "-l", link_of("odd"), "--json", NULL);
        CHECK_EQUAL(0, said.code);
        CHECK(g_utf8_validate(said.out, -1, NULL));
        EXPECT(0, "by the board's SHA-256",
               command("write", "-l", link_of("odd"), "--without-backup",
                       placed("calibration", "odd.cal"), NULL));
    }
    check_context(NULL);
    for (int i = 0; i < 3; i++)
        g_unlink(scratch_file(i == 0   ? "bench/backups.db"
                              : i == 1 ? "bench/backups.db-wal"
                                       : "bench/backups.db-shm"));
}

/* A computer's clock was wrong once. */
static void a_backup_of_the_far_future_is_not_the_newest(void)
{
    add_gauge("future", 1);
    EXPECT(0, "", command("backup", "-l", link_of("future"), scratch_file("future.zip"), NULL));
    tables_change(scratch_file("bench/backups.db"),
                  "UPDATE backup SET created = '2099-01-01T00:00:00Z' WHERE path LIKE "
                  "'%future.zip'");
    EXPECT(0, "future.zip, of unknown age", command("identify", "-l", link_of("future"), NULL));
    EXPECT(0, "", command("backup", "-l", link_of("future"), scratch_file("today.zip"), NULL));
    EXPECT(0, "today.zip, less than an hour old",
           command("identify", "-l", link_of("future"), NULL));
}

/* Kept by the same values, wherever a copy of the region holds them. */
static void calibration_goes_only_where_a_backup_holds_it(void)
{
    size_t n = 0;

    add_gauge("kept", 1);
    g_autofree uint8_t *before = scratch_flash("kept", &n);
    EXPECT(5, "these settings in region 'calibration' would be lost",
           command("erase", "-l", link_of("kept"), "calibration", NULL));
    EXPECT(5, "these settings in region 'calibration' would be lost",
           command("erase", "-l", link_of("kept"), "0x10000+4K", NULL));
    CHECK(scratch_flash_is("kept", before, n));
    /* Of another board, and gone again: no backup of these values. */
    EXPECT(0, "", command("backup", "-l", link_of("kept"), scratch_file("gone.zip"), NULL));
    CHECK_EQUAL(0, g_unlink(scratch_file("gone.zip")));
    EXPECT(5, "these settings", command("erase", "-l", link_of("kept"), "calibration", NULL));
    EXPECT(0, "",
           command("backup", "-l", link_of("kept"), "--plain", scratch_file("kept.bin"), NULL));
    EXPECT(0, "Erased", command("erase", "-l", link_of("kept"), "calibration", NULL));
    /* Values that changed since are not in it. */
    EXPECT(0, "Restored",
           command("restore", "-l", link_of("kept"), "--from-another-board",
                   scratch_file("kept.bin"), NULL));
    EXPECT(0, "Written", command("write", "-l", link_of("kept"), "--set", "datum_mm=-9", NULL));
    struct said said = command("erase", "-l", link_of("kept"), "calibration", NULL);
    EXPECT(5, "  datum_mm: -9\n", said);
    CHECK(!says(&said, "pier: A"));
    EXPECT(0, "Erased",
           command("erase", "-l", link_of("kept"), "--without-backup", "calibration", NULL));
}

static void another_board_s_calibration_is_refused_where_it_is_known(void)
{
    size_t n = 0;

    add_gauge("mine", 1);
    add_gauge("theirs", 2);
    EXPECT(0, "", command("backup", "-l", link_of("theirs"), scratch_file("theirs.zip"), NULL));
    EXPECT(0, "",
           command("backup", "-l", link_of("theirs"), "--plain", "--only", "calibration",
                   scratch_file("theirs.cal"), NULL));
    EXPECT(0, "",
           command("backup", "-l", link_of("theirs"), "--plain", scratch_file("theirs.raw"), NULL));
    g_autofree uint8_t *before = scratch_flash("mine", &n);
    EXPECT(5, "holds region 'calibration' of board 02:57:",
           command("write", "-l", link_of("mine"), placed("calibration", "theirs.cal"), NULL));
    EXPECT(
        5, "holds region 'calibration' of board 02:57:",
        command("write", "-l", link_of("mine"), "--any-place", placed("0x0", "theirs.raw"), NULL));
    EXPECT(5, "comes from board",
           command("restore", "-l", link_of("mine"), "--without-backup", scratch_file("theirs.zip"),
                   NULL));
    EXPECT(5, "comes from board",
           command("restore", "-l", link_of("mine"), "--without-backup", scratch_file("theirs.raw"),
                   NULL));
    CHECK(scratch_flash_is("mine", before, n));
    /* Its own is welcome, and so is another's when it is meant. */
    EXPECT(0, "by the board's SHA-256",
           command("write", "-l", link_of("theirs"), placed("calibration", "theirs.cal"), NULL));
    EXPECT(0, "Written",
           command("write", "-l", link_of("mine"), "--from-another-board",
                   placed("calibration", "theirs.cal"), NULL));
}

static void parts_of_an_archive_are_put_back(void)
{
    size_t n = 0, m = 0;

    add_gauge("partly", 3);
    g_autofree uint8_t *before = scratch_flash("partly", &n);
    EXPECT(0, "", command("backup", "-l", link_of("partly"), scratch_file("partly.zip"), NULL));
    EXPECT(0, "Erased",
           command("erase", "-l", link_of("partly"), "calibration", "app", "log", NULL));
    EXPECT(0, "Restored",
           command("restore", "-l", link_of("partly"), "--only", "calibration", "--only",
                   "0x40000+64K", scratch_file("partly.zip"), NULL));
    g_autofree uint8_t *after = scratch_flash("partly", &m);
    memset(before + 0x50000, 0xFF, 0x1C0000 - 0x50000);
    memset(before + 0x1C0000, 0xFF, 0x240000);
    CHECK(m == n && memcmp(before, after, n) == 0);
    EXPECT(0, "",
           command("backup", "-l", link_of("partly"), "--only", "calibration",
                   scratch_file("cal.zip"), NULL));
    EXPECT(5, "does not hold all of app",
           command("restore", "-l", link_of("partly"), "--only", "app", scratch_file("cal.zip"),
                   NULL));
    EXPECT(2, "there is no region 'attic'",
           command("restore", "-l", link_of("partly"), "--only", "attic", scratch_file("cal.zip"),
                   NULL));
    EXPECT(0, "not in this backup", command("inspect", scratch_file("cal.zip"), NULL));
    EXPECT(0, "gauge = 3, pier = C", command("inspect", scratch_file("cal.zip"), NULL));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_backup_without_a_name_goes_into_the_folder_of_backups),
        FACT(all_is_erased_only_where_a_backup_is_known),
        FACT(what_lies_in_the_folder_is_known),
        FACT(a_record_that_cannot_be_read_is_no_missing_backup),
        FACT(odd_rows_are_no_backups),
        FACT(a_backup_of_the_far_future_is_not_the_newest),
        FACT(calibration_goes_only_where_a_backup_holds_it),
        FACT(another_board_s_calibration_is_refused_where_it_is_known),
        FACT(parts_of_an_archive_are_put_back),
    };
    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
