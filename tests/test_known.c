/* What this computer knows of a board's content: quicker with it, the same without it. */
#include <glib.h>
#include <glib/gstdio.h>
#include <sqlite3.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "command.h"
#include "harness.h"
#include "tables.h"

enum {
    APP = 0x40000,
};

static const char *link_of(const char *name)
{
    g_autofree char *text = g_strdup_printf("bench:%s", name);

    return g_intern_string(text);
}

static const char *index_file(void)
{
    return scratch_file("bench/known.db");
}

/* Another gauge: its own calibration and log, the same application. */
static void add_gauge(const char *name, const char *content)
{
    g_autofree char *folder = g_strdup_printf("bench/%s", name);

    run_program("rm", "-rf", scratch_file(folder), NULL);
    EXPECT(0, "",
           command("bench", "add", name, "--chip", "turnstone-t2", "--flash", "4MiB", "--content",
                   scratch_file(content), NULL));
}

static struct said back_up(const char *board, const char *file)
{
    return command("backup", "-l", link_of(board), scratch_file(file), NULL);
}

/* The archive holds what the board holds. */
static void check_archive(const char *board, const char *file)
{
    EXPECT(0, "agrees", command("verify", "-l", link_of(board), scratch_file(file), NULL));
}

/* On a line slow enough for a difference to be the quickest way. */
static struct said upgrade(const char *board)
{
    return command("write", "-l", link_of(board), "-s", "115200", placed("app", "gauge.bin"), NULL);
}

static void begin(void)
{
    g_unlink(index_file());
    g_unlink(scratch_file("bench/known.db-wal"));
    g_unlink(scratch_file("bench/known.db-shm"));
    g_unlink(scratch_file("one.zip"));
    g_unlink(scratch_file("two.zip"));
    add_gauge("one", "returned-1.bin");
    add_gauge("two", "returned-2.bin");
}

static void a_second_board_is_backed_up_without_what_the_first_one_had(void)
{
    begin();
    struct said said = back_up("one", "one.zip");
    EXPECT(0, "Backed up", said);
    CHECK(!says(&said, "already"));
    EXPECT(0, "of it was known from one.zip and not read again", back_up("two", "two.zip"));
    check_archive("two", "two.zip");
}

static void an_upgrade_goes_as_the_difference_to_a_backup(void)
{
    begin();
    EXPECT(0, "Backed up", back_up("one", "one.zip"));
    EXPECT(0, "part of it as the difference to one.zip", upgrade("two"));
    EXPECT(0, "agrees", command("verify", "-l", link_of("two"), placed("app", "gauge.bin"), NULL));
    /* And the image itself is known from now on. */
    EXPECT(0, "not read again", back_up("two", "two.zip"));
    check_archive("two", "two.zip");
}

/* Also when it holds only that part of the flash, which begins somewhere. */
static void a_backup_of_a_part_is_known_by_its_sectors(void)
{
    begin();
    EXPECT(0, "Backed up",
           command("backup", "-l", link_of("one"), "--only", "0x80800+1M", scratch_file("one.zip"),
                   NULL));
    EXPECT(0, "part of it as the difference to one.zip", upgrade("two"));
    EXPECT(0, "agrees", command("verify", "-l", link_of("two"), placed("app", "gauge.bin"), NULL));
}

static long content_sent(const struct said *said)
{
    const char *at = strstr(said->out, "\"content_sent\" : ");

    return at ? strtol(at + 17, NULL, 10) : -1;
}

/* What was written before the cut is recognised as the image, and what was not as the backup. */
static void an_upgrade_that_was_cut_goes_on_as_a_difference(void)
{
    begin();
    EXPECT(0, "Backed up", back_up("one", "one.zip"));
    EXPECT(0, "", command("bench", "fault", "two", "power-cut=1800", NULL));
    EXPECT(7, "", upgrade("two"));
    EXPECT(0, "", command("bench", "fault", "two", "none", NULL));
    struct said said = command("write", "--json", "-l", link_of("two"), "-s", "115200",
                               placed("app", "gauge.bin"), NULL);
    EXPECT(0, "\"guesses_wrong\" : 0", said);
    check_context("%ld bytes", content_sent(&said));
    CHECK(content_sent(&said) > 0 && content_sent(&said) < 130000);
}

static void without_guesses_it_is_the_same_and_takes_longer(void)
{
    begin();
    struct said said =
        command("backup", "--no-guess", "-l", link_of("one"), scratch_file("one.zip"), NULL);
    EXPECT(0, "Backed up", said);
    CHECK(!g_file_test(index_file(), G_FILE_TEST_EXISTS));
    said = command("write", "--no-guess", "-l", link_of("two"), "-s", "115200",
                   placed("app", "gauge.bin"), NULL);
    EXPECT(0, "Written", said);
    CHECK(!says(&said, "difference"));
}

/* Between two samples, where nobody looked before. */
static void what_is_not_quite_the_same_is_found_and_said(void)
{
    size_t n;
    unsigned said = 0, step = check_one_in(2) > 1 ? 2 : 1;

    begin();
    EXPECT(0, "Backed up", back_up("one", "one.zip"));
    for (uint32_t at = 0; at < 0x20000; at += step * 0x7100) {
        g_autofree uint8_t *other = scratch_read("returned-2.bin", &n);
        other[APP + 0x8000 + at] ^= 0x40;
        scratch_write("changed.bin", other, n);
        add_gauge("changed", "changed.bin");
        g_unlink(scratch_file("changed.zip"));
        struct said backup = back_up("changed", "changed.zip");
        said += says(&backup, "was not quite as expected from one.zip");
        EXPECT(0, "Backed up", backup);
        check_archive("changed", "changed.zip");
        EXPECT(0, "Written, and verified", upgrade("changed"));
        EXPECT(0, "agrees",
               command("verify", "-l", link_of("changed"), placed("app", "gauge.bin"), NULL));
        g_unlink(scratch_file("changed.zip"));
    }
    CHECK(said * step >= 2);
}

static void a_file_that_changed_since_is_not_believed(void)
{
    size_t n;

    begin();
    EXPECT(0, "Written", upgrade("one"));
    g_autofree uint8_t *image = scratch_read("gauge.bin", &n);
    g_autofree uint8_t *kept = g_memdup2(image, n);
    memset(image, 0x5A, n);
    scratch_write("gauge.bin", image, n);
    struct said said = back_up("one", "one.zip");
    EXPECT(0, "Backed up", said);
    CHECK(!says(&said, "gauge.bin"));
    check_archive("one", "one.zip");
    scratch_write("gauge.bin", kept, n);
}

static void a_file_that_is_gone_is_not_missed(void)
{
    begin();
    EXPECT(0, "Backed up", back_up("one", "one.zip"));
    g_unlink(scratch_file("one.zip"));
    struct said said = back_up("two", "two.zip");
    EXPECT(0, "Backed up", said);
    CHECK(!says(&said, "already"));
    check_archive("two", "two.zip");
}

static void an_index_that_is_damaged_costs_nothing_but_time(void)
{
    static const char garbage[] = "this is no database, and has not been one for a long time";

    begin();
    EXPECT(0, "Backed up", back_up("one", "one.zip"));
    g_unlink(scratch_file("bench/known.db-wal"));
    g_unlink(scratch_file("bench/known.db-shm"));
    scratch_write("bench/known.db", garbage, sizeof garbage);
    struct said said = back_up("two", "two.zip");
    EXPECT(0, "Backed up", said);
    CHECK(says(&said, "the index of known content cannot be used"));
    CHECK(says(&said, "known.db"));
    check_archive("two", "two.zip");
    EXPECT(0, "Written", upgrade("two"));
}

/* Such as no version of this program makes. */
static void rows_that_nobody_makes_cost_nothing_but_time(void)
{
    static const char *const changes[] = {
        "PRAGMA foreign_keys = OFF; ALTER TABLE file RENAME TO old;"
        "CREATE TABLE file (id INTEGER PRIMARY KEY, path TEXT, kind INTEGER, used INTEGER);"
        "INSERT INTO file SELECT id, NULL, kind, used FROM old",
        "UPDATE file SET kind = 7",
        "UPDATE file SET kind = -1",
        "UPDATE file SET kind = x'00'",
        "UPDATE file SET path = 'pipe' || id",
        "UPDATE sector SET at = at + 0x100000000",
        "UPDATE sector SET at = -at",
        "UPDATE sector SET at = 0xFFFFF001",
    };

    for (size_t i = 0; i < G_N_ELEMENTS(changes); i += check_one_in(4)) {
        check_context("%s", changes[i]);
        begin();
        EXPECT(0, "Backed up", back_up("one", "one.zip"));
        tables_change(index_file(), changes[i]);
        EXPECT(0, "Backed up", back_up("two", "two.zip"));
        check_archive("two", "two.zip");
        EXPECT(0, "Written", upgrade("two"));
    }
    check_context(NULL);
}

static void a_file_that_became_a_pipe_is_not_waited_for(void)
{
    begin();
    EXPECT(0, "Written", upgrade("one"));
    tables_change(index_file(), "UPDATE file SET path = path || '.pipe'");
    CHECK_EQUAL(0, mkfifo(scratch_file("gauge.bin.pipe"), 0600));
    EXPECT(0, "Backed up", back_up("one", "one.zip"));
    check_archive("one", "one.zip");
}

/* Another process holds it for good. */
static void an_index_that_is_locked_costs_nothing_but_time(void)
{
    sqlite3 *db = NULL;

    begin();
    EXPECT(0, "Backed up", back_up("one", "one.zip"));
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(index_file(), &db));
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(db, "BEGIN EXCLUSIVE", NULL, NULL, NULL));
    EXPECT(0, "Backed up", back_up("two", "two.zip"));
    check_archive("two", "two.zip");
    EXPECT(0, "Written", upgrade("two"));
    sqlite3_close(db);
}

static void the_index_holds_digests_and_no_content(void)
{
    size_t n = 0, m = 0;

    begin();
    EXPECT(0, "Backed up", back_up("one", "one.zip"));
    g_autofree uint8_t *index = scratch_read("bench/known.db", &n);
    g_autofree uint8_t *log = scratch_read("bench/known.db-wal", &m);
    CHECK(n > 0);
    CHECK(g_strstr_len((const char *)index, (gssize)n, "datum_mm") == NULL);
    CHECK(!log || g_strstr_len((const char *)log, (gssize)m, "datum_mm") == NULL);
    CHECK(n + m < 400000);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_second_board_is_backed_up_without_what_the_first_one_had),
        FACT(an_upgrade_goes_as_the_difference_to_a_backup),
        FACT(a_backup_of_a_part_is_known_by_its_sectors),
        FACT(an_upgrade_that_was_cut_goes_on_as_a_difference),
        FACT(without_guesses_it_is_the_same_and_takes_longer),
        FACT(what_is_not_quite_the_same_is_found_and_said),
        FACT(a_file_that_changed_since_is_not_believed),
        FACT(a_file_that_is_gone_is_not_missed),
        FACT(an_index_that_is_damaged_costs_nothing_but_time),
        FACT(rows_that_nobody_makes_cost_nothing_but_time),
        FACT(a_file_that_became_a_pipe_is_not_waited_for),
        FACT(an_index_that_is_locked_costs_nothing_but_time),
        FACT(the_index_holds_digests_and_no_content),
    };

    scratch_make_images();
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
