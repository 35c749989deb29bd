/* The journal: what it keeps, for whom, and what it says when it cannot. */
#include <glib.h>
#include <glib/gstdio.h>
#include <sqlite3.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/group_commit.h"
#include "command.h"
#include "harness.h"
#include "rig.h"
#include "store/journal/journal.h"
#include "tables.h"

static const struct wry_hello_reply mine = {.eui48 = {2, 0, 0, 0, 0, 1},
                                            .chip_code = 0x7402,
                                            .capacity = 0x400000,
                                            .jedec = {0x7F, 0x51, 0x16}};
static uint8_t old[WRY_SECTOR_SIZE], intended[WRY_SECTOR_SIZE];

/* What a run shall hold: the same in each sector. */
static bool read_intended(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    (void)context;
    memcpy(to, intended + offset % WRY_SECTOR_SIZE, n);
    return true;
}

static const struct wry_reader shall_be = {.read = read_intended};

static struct wry_journal_sector kept_at(uint32_t offset, uint16_t from, uint16_t to)
{
    struct wry_journal_sector kept = {.offset = offset, .from = from, .to = to};

    memset(kept.bytes, 0x77, sizeof kept.bytes);
    memcpy(kept.bytes + from, old + from, to - from);
    return kept;
}

static bool begin(struct journal *journal, const struct wry_span *span,
                  const struct wry_journal_sector *kept, size_t count)
{
    return journal_callbacks(journal)->begin(journal, span, kept, count, &shall_be);
}

static struct journal *open_journal(const char *name, const struct wry_hello_reply *board)
{
    GError *error = NULL;
    struct journal *journal = journal_open(scratch_file(name), (struct wry_stop){0}, &error);

    CHECK(journal != NULL);
    if (journal)
        journal_set_board(journal, board);
    g_clear_error(&error);
    return journal;
}

static void it_outlives_its_process(void)
{
    const struct wry_span span = {.start = 0x4000, .end = 0x7000};
    const struct wry_span back = {.start = 0x4000, .end = 0x5000};
    struct wry_journal_sector head = kept_at(0x4000, 0, WRY_SECTOR_SIZE), was;
    uint8_t shall[WRY_SECTOR_SIZE];
    struct journal *journal = open_journal("journal", &mine);
    const struct wry_journal *callbacks = journal_callbacks(journal);

    CHECK_EQUAL(WRY_KEPT_NO, callbacks->unsettled(callbacks->context, 0, 0x400000));
    CHECK(begin(journal, &span, &head, 1));
    journal_close(journal);

    journal = open_journal("journal", &mine);
    callbacks = journal_callbacks(journal);
    CHECK_EQUAL(WRY_KEPT_YES, callbacks->unsettled(callbacks->context, 0x6FFF, 1));
    CHECK_EQUAL(WRY_KEPT_NO, callbacks->unsettled(callbacks->context, 0x7000, 0x1000));
    CHECK_EQUAL(WRY_KEPT_NO, callbacks->unsettled(callbacks->context, 0, 0x4000));
    CHECK_EQUAL(WRY_KEPT_YES, callbacks->saved(callbacks->context, &was, shall));
    CHECK_EQUAL(0x4000, was.offset);
    CHECK(was.from == 0 && was.to == WRY_SECTOR_SIZE);
    CHECK(memcmp(old, was.bytes, sizeof old) == 0);
    CHECK(memcmp(intended, shall, sizeof intended) == 0);
    /* Its putting back begins without content, and keeps what is stored until it ends. */
    CHECK(begin(journal, &back, NULL, 0));
    CHECK_EQUAL(WRY_KEPT_YES, callbacks->saved(callbacks->context, &was, shall));
    CHECK(callbacks->end(callbacks->context, &back));
    CHECK_EQUAL(WRY_KEPT_NO, callbacks->saved(callbacks->context, &was, shall));
    CHECK_EQUAL(WRY_KEPT_YES, callbacks->unsettled(callbacks->context, 0x5000, 1));
    CHECK(callbacks->end(callbacks->context, &span));
    CHECK_EQUAL(WRY_KEPT_NO, callbacks->unsettled(callbacks->context, 0, 0x400000));
    journal_close(journal);
}

static void rows_belong_to_address_chip_size_and_id(void)
{
    const struct wry_span span = {.start = 0x4000, .end = 0x5000};
    struct wry_hello_reply others[4] = {mine, mine, mine, mine};
    struct journal *journal = open_journal("owners", &mine);

    others[0].eui48[5] = 2;
    others[1].chip_code = 0xD103;
    others[2].capacity = 0x800000;
    others[3].jedec[0] = 0x20;
    CHECK(begin(journal, &span, NULL, 0));
    for (size_t i = 0; i < 4; i++) {
        check_context("board %zu", i);
        journal_set_board(journal, &others[i]);
        CHECK_EQUAL(WRY_KEPT_NO, journal_callbacks(journal)->unsettled(journal, 0, 0x400000));
    }
    journal_set_board(journal, &mine);
    CHECK_EQUAL(WRY_KEPT_YES, journal_callbacks(journal)->unsettled(journal, 0, 0x400000));
    journal_close(journal);
}

static void boards_without_an_address_are_not_one_board(void)
{
    const struct wry_span span = {.start = 0x4000, .end = 0x5000};
    struct wry_hello_reply nobody = mine;
    struct wry_journal_sector head = kept_at(0x4000, 0, WRY_SECTOR_SIZE);

    memset(nobody.eui48, 0xFF, sizeof nobody.eui48);
    CHECK(!journal_knows_board(nobody.eui48));
    CHECK(!journal_knows_board((const uint8_t[6]){0}));
    CHECK(!journal_knows_board((const uint8_t[6]){1, 2, 3, 4, 5, 6}));
    CHECK(journal_knows_board(mine.eui48));
    struct journal *journal = open_journal("nobody", &nobody);
    CHECK(begin(journal, &span, &head, 1));
    CHECK_EQUAL(WRY_KEPT_YES, journal_callbacks(journal)->unsettled(journal, 0x4000, 1));
    journal_set_board(journal, &nobody);
    CHECK_EQUAL(WRY_KEPT_NO, journal_callbacks(journal)->unsettled(journal, 0x4000, 1));
    journal_close(journal);
}

static void what_has_no_place_any_more_becomes_a_file(void)
{
    const struct wry_span span = {.start = 0x4000, .end = 0x5000};
    struct wry_journal_sector head = kept_at(0x4000, 0, WRY_SECTOR_SIZE);
    struct journal *journal = open_journal("aside", &mine);
    gsize n = 0;
    g_autofree char *bytes = NULL;

    CHECK(begin(journal, &span, &head, 1));
    CHECK(journal_callbacks(journal)->yield(journal, 0x4000));
    CHECK_EQUAL(WRY_KEPT_NO, journal_callbacks(journal)->unsettled(journal, 0x4000, 1));
    CHECK_EQUAL(1, journal_set_aside(journal)->len);
    CHECK(g_file_get_contents(g_ptr_array_index(journal_set_aside(journal), 0), &bytes, &n, NULL));
    CHECK(n == sizeof old && memcmp(bytes, old, n) == 0);
    journal_close(journal);
}

static void stretches_are_told_with_what_is_kept(void)
{
    const struct wry_span span = {.start = 0x4000, .end = 0x8000};
    struct wry_journal_sector tail = kept_at(0x7000, 0, WRY_SECTOR_SIZE);
    struct journal *journal = open_journal("stretches", &mine);
    GArray *stretches;

    CHECK(begin(journal, &span, &tail, 1));
    CHECK(journal_unsettled(journal, &stretches));
    CHECK_EQUAL(2, stretches->len);
    const struct journal_stretch *s = &g_array_index(stretches, struct journal_stretch, 0);
    CHECK(s[0].offset == 0x4000 && s[0].length == 0x3000 && !s[0].has_content);
    CHECK(s[1].offset == 0x7000 && s[1].length == 0x1000 && s[1].has_content);
    CHECK(s[0].since[0] == '2' && s[0].since[19] == 'Z');
    g_array_unref(stretches);
    journal_close(journal);
}

static bool at_once(void *context)
{
    (void)context;
    return true;
}

static void a_lock_is_an_error_and_never_an_empty_journal(void)
{
    const struct wry_span span = {.start = 0x4000, .end = 0x5000};
    struct journal *journal = open_journal("locked", &mine);
    GError *error = NULL;
    sqlite3 *other = NULL;

    CHECK(begin(journal, &span, NULL, 0));
    journal_close(journal);
    g_autofree char *path = g_build_filename(scratch_file("locked"), "journal.db", NULL);
    journal = journal_open(scratch_file("locked"), (struct wry_stop){.asked = at_once}, &error);
    CHECK(journal != NULL);
    journal_set_board(journal, &mine);
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(path, &other));
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(other, "BEGIN EXCLUSIVE", NULL, NULL, NULL));
    CHECK_EQUAL(WRY_KEPT_UNKNOWN, journal_callbacks(journal)->unsettled(journal, 0x4000, 1));
    CHECK(!begin(journal, &span, NULL, 0));
    CHECK(strstr(journal_problem(journal), "locked") != NULL);
    CHECK(journal_open(scratch_file("locked"), (struct wry_stop){.asked = at_once}, &error) ==
          NULL);
    CHECK(error && strstr(error->message, "locked") != NULL);
    g_clear_error(&error);
    sqlite3_close(other);
    CHECK_EQUAL(WRY_KEPT_YES, journal_callbacks(journal)->unsettled(journal, 0x4000, 1));
    journal_close(journal);
}

static void a_journal_that_is_no_database_is_refused(void)
{
    GError *error = NULL;
    struct journal *journal = NULL;

    CHECK_EQUAL(0, g_mkdir(scratch_file("broken"), 0700));
    scratch_write("broken/journal.db", "this is no database, whatever its name may say here", 51);
    CHECK(journal_open(scratch_file("broken"), (struct wry_stop){0}, &error) == NULL);
    CHECK(error && strstr(error->message, "journal.db") != NULL);
    g_clear_error(&error);
    CHECK(!journal_open_to_look(scratch_file("broken"), (struct wry_stop){0}, &journal, &error));
    CHECK(error != NULL && journal == NULL);
    g_clear_error(&error);
    CHECK(journal_open_to_look(scratch_file("none"), (struct wry_stop){0}, &journal, &error));
    CHECK(error == NULL && journal == NULL);
}

static void a_damaged_page_is_noticed(void)
{
    const struct wry_span span = {.start = 0, .end = 0x40000};
    struct wry_journal_sector tail = kept_at(0x3F000, 0, WRY_SECTOR_SIZE);
    struct journal *journal = open_journal("damaged", &mine);
    GError *error = NULL;
    size_t n = 0;

    CHECK(begin(journal, &span, &tail, 1));
    journal_close(journal);
    g_autofree uint8_t *bytes = scratch_read("damaged/journal.db", &n);
    CHECK(n > 8192);
    memset(bytes + 4096, 0x5A, 256);
    scratch_write("damaged/journal.db", bytes, n);
    CHECK(journal_open(scratch_file("damaged"), (struct wry_stop){0}, &error) == NULL);
    CHECK(error != NULL);
    g_clear_error(&error);
}

/* A table that would drop what it is given must not be trusted with it. */
static void a_table_with_rules_of_its_own_is_no_journal(void)
{
    static const char *const changes[] = {
        "CREATE TRIGGER t AFTER INSERT ON unsettled BEGIN DELETE FROM unsettled; END",
        "ALTER TABLE unsettled ADD COLUMN more TEXT",
        "ALTER TABLE unsettled RENAME COLUMN jedec TO id",
        "CREATE VIEW v AS SELECT * FROM unsettled",
    };
    GError *error = NULL;

    for (size_t i = 0; i < G_N_ELEMENTS(changes); i++) {
        g_autofree char *name = g_strdup_printf("rules-%zu", i);
        g_autofree char *path = g_strdup_printf("%s/journal.db", scratch_file(name));
        struct journal *looked = NULL;
        check_context("%s", changes[i]);
        journal_close(open_journal(name, &mine));
        tables_change(path, changes[i]);
        /* A copy, since this process knows the other file already. */
        g_autofree char *copy = g_strdup_printf("rules-%zu-copy", i);
        g_autofree char *old_name = g_strdup_printf("%s/journal.db", name);
        g_autofree char *new_name = g_strdup_printf("%s/journal.db", copy);
        size_t n = 0;
        g_autofree uint8_t *bytes = scratch_read(old_name, &n);
        CHECK_EQUAL(0, g_mkdir(scratch_file(copy), 0700));
        scratch_write(new_name, bytes, n);
        CHECK(journal_open(scratch_file(copy), (struct wry_stop){0}, &error) == NULL);
        CHECK(error && strstr(error->message, "not those of a journal"));
        g_clear_error(&error);
        CHECK(!journal_open_to_look(scratch_file(copy), (struct wry_stop){0}, &looked, &error));
        CHECK(error && strstr(error->message, "not those of a journal"));
        g_clear_error(&error);
    }
    check_context(NULL);
}

/* Rows that no version of this program has made are told of, and nothing is done after them. */
static void rows_that_nobody_keeps_are_a_problem(void)
{
    static const struct {
        const char *change, *problem;
        bool told; /* of where it is, all the same */
    } cases[] = {
        {"offset = 0x100004000", "a sector at 4294983680, which no flash has", false},
        {"offset = -4096", "a sector at -4096, which no flash has", false},
        {"old_from = 4096", "not whole pages", true},
        {"old_from = 0x7FFFFF00", "not whole pages", true},
        {"old_from = -256", "not whole pages", true},
        {"old_from = 0x100000000", "not whole pages", true},
        {"old = x'00112233'", "not whole pages", true},
        {"old = zeroblob(8192)", "not whole pages", true},
        {"old = ''", "not whole pages", true},
    };
    const struct wry_span span = {.start = 0x4000, .end = 0x5000};
    struct wry_journal_sector head = kept_at(0x4000, 0, WRY_SECTOR_SIZE), was;
    uint8_t shall[WRY_SECTOR_SIZE];

    for (size_t i = 0; i < G_N_ELEMENTS(cases); i++) {
        g_autofree char *name = g_strdup_printf("rows-%zu", i);
        g_autofree char *path = g_strdup_printf("%s/journal.db", scratch_file(name));
        g_autofree char *change = g_strdup_printf("UPDATE unsettled SET %s", cases[i].change);
        struct journal *journal = open_journal(name, &mine);
        GArray *stretches = NULL;
        check_context("%s", cases[i].change);
        CHECK(begin(journal, &span, &head, 1));
        tables_change(path, change);
        CHECK_EQUAL(WRY_KEPT_UNKNOWN, journal_callbacks(journal)->saved(journal, &was, shall));
        CHECK(strstr(journal_problem(journal), cases[i].problem) != NULL);
        CHECK_EQUAL(cases[i].told, journal_unsettled(journal, &stretches));
        g_array_unref(stretches);
        CHECK(!journal_set_all_aside(journal));
        CHECK(strstr(journal_problem(journal), cases[i].problem) != NULL);
        journal_close(journal);
    }
    check_context(NULL);
}

static void one_of_version_1_is_brought_up_to_date(void)
{
    struct wry_journal_sector was;
    uint8_t shall[WRY_SECTOR_SIZE];
    sqlite3 *db = NULL;
    sqlite3_stmt *statement = NULL;

    CHECK_EQUAL(0, g_mkdir(scratch_file("version-1"), 0700));
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(scratch_file("version-1/journal.db"), &db));
    CHECK_EQUAL(SQLITE_OK,
                sqlite3_exec(db,
                             "CREATE TABLE sectors (board TEXT NOT NULL, offset INTEGER NOT NULL, "
                             "content BLOB, PRIMARY KEY (board, offset)) WITHOUT ROWID;",
                             NULL, NULL, NULL));
    sqlite3_prepare_v2(db, "INSERT INTO sectors VALUES ('02:00:00:00:00:01', 16384, ?1)", -1,
                       &statement, NULL);
    sqlite3_bind_blob(statement, 1, old, sizeof old, SQLITE_STATIC);
    CHECK_EQUAL(SQLITE_DONE, sqlite3_step(statement));
    sqlite3_finalize(statement);
    sqlite3_close(db);
    struct journal *journal = open_journal("version-1", &mine);
    CHECK_EQUAL(WRY_KEPT_YES, journal_callbacks(journal)->saved(journal, &was, shall));
    CHECK_EQUAL(0x4000, was.offset);
    CHECK(was.from == 0 && was.to == WRY_SECTOR_SIZE);
    CHECK(memcmp(was.bytes, old, sizeof old) == 0 && memcmp(shall, old, sizeof old) == 0);
    journal_close(journal);
}

static void one_of_version_2_is_brought_up_to_date(void)
{
    struct wry_journal_sector was;
    uint8_t shall[WRY_SECTOR_SIZE];
    sqlite3 *db = NULL;
    sqlite3_stmt *statement = NULL;

    CHECK_EQUAL(0, g_mkdir(scratch_file("version-2"), 0700));
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(scratch_file("version-2/journal.db"), &db));
    CHECK_EQUAL(SQLITE_OK,
                sqlite3_exec(db,
                             "CREATE TABLE unsettled (board TEXT NOT NULL, chip INTEGER NOT NULL, "
                             "flash INTEGER NOT NULL, jedec TEXT NOT NULL, "
                             "offset INTEGER NOT NULL, old BLOB, intended BLOB, "
                             "since TEXT NOT NULL, PRIMARY KEY (board, chip, flash, jedec, "
                             "offset)) WITHOUT ROWID; PRAGMA user_version = 2",
                             NULL, NULL, NULL));
    sqlite3_prepare_v2(db,
                       "INSERT INTO unsettled VALUES ('02:00:00:00:00:01', -1, -1, '', 16384, "
                       "?1, ?2, '2026-11-01T08:00:00Z')",
                       -1, &statement, NULL);
    sqlite3_bind_blob(statement, 1, old, sizeof old, SQLITE_STATIC);
    sqlite3_bind_blob(statement, 2, intended, sizeof intended, SQLITE_STATIC);
    CHECK_EQUAL(SQLITE_DONE, sqlite3_step(statement));
    sqlite3_finalize(statement);
    sqlite3_close(db);
    for (int times = 0; times < 2; times++) {
        struct journal *journal = open_journal("version-2", &mine);
        CHECK_EQUAL(WRY_KEPT_YES, journal_callbacks(journal)->saved(journal, &was, shall));
        CHECK_EQUAL(0x4000, was.offset);
        CHECK(was.from == 0 && was.to == WRY_SECTOR_SIZE);
        CHECK(memcmp(was.bytes, old, sizeof old) == 0);
        CHECK(memcmp(shall, intended, sizeof intended) == 0);
        journal_close(journal);
    }
}

/* Three shared sectors of one span, of which a part was read. */
static void what_was_read_of_a_sector_is_what_is_kept(void)
{
    const struct wry_span span = {.start = 0x4000, .end = 0x9000};
    const struct wry_journal_sector kept[] = {
        kept_at(0x4000, 0, 0x300), kept_at(0x6000, 0x500, 0x600), kept_at(0x8000, 0xF00, 0x1000)};
    struct wry_journal_sector was;
    uint8_t shall[WRY_SECTOR_SIZE];
    struct journal *journal = open_journal("parts", &mine);
    const struct wry_journal *callbacks = journal_callbacks(journal);

    CHECK(begin(journal, &span, kept, 3));
    for (size_t i = 0; i < 3; i++) {
        CHECK_EQUAL(WRY_KEPT_YES, callbacks->saved(journal, &was, shall));
        CHECK_EQUAL(kept[i].offset, was.offset);
        CHECK(was.from == kept[i].from && was.to == kept[i].to);
        CHECK(memcmp(old + was.from, was.bytes + was.from, was.to - was.from) == 0);
        CHECK(memcmp(intended, shall, sizeof intended) == 0);
        CHECK(callbacks->yield(journal, was.offset));
        const char *path = g_ptr_array_index(journal_set_aside(journal), i);
        gsize n = 0;
        g_autofree char *bytes = NULL;
        CHECK(g_file_get_contents(path, &bytes, &n, NULL));
        CHECK(n == (size_t)(was.to - was.from) && memcmp(bytes, old + was.from, n) == 0);
        g_autofree char *place = g_strdup_printf("-0x%06X-", (unsigned)(was.offset + was.from));
        CHECK(strstr(path, place) != NULL);
    }
    CHECK_EQUAL(WRY_KEPT_NO, callbacks->saved(journal, &was, shall));
    CHECK_EQUAL(WRY_KEPT_YES, callbacks->unsettled(journal, 0x5000, 1));
    journal_close(journal);
}

/* Many boards of one process: their changes go to the disk together. */

enum { BOARDS = 8, ROUNDS = 12 };

struct bench_board {
    struct wry_hello_reply reply;
    unsigned good, bad;
    bool spoils; /* what it is to hold cannot be read */
    bool kept_well;
};

static bool read_nothing(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    (void)context, (void)offset, (void)to, (void)n;
    return false;
}

static gpointer work_at_board(gpointer data)
{
    static const struct wry_reader unreadable = {.read = read_nothing};
    struct bench_board *board = data;
    struct journal *journal = open_journal("many", &board->reply);
    const struct wry_journal *callbacks = journal_callbacks(journal);
    struct wry_journal_sector was;
    uint8_t shall[WRY_SECTOR_SIZE];

    board->kept_well = true;
    for (uint32_t i = 0; i < ROUNDS; i++) {
        const struct wry_span span = {.start = i * 0x4000, .end = i * 0x4000 + 0x3000};
        struct wry_journal_sector head = kept_at(span.start, 0, WRY_SECTOR_SIZE);
        bool begun =
            callbacks->begin(journal, &span, &head, 1, board->spoils ? &unreadable : &shall_be);
        board->good += begun;
        board->bad += !begun;
        if (!begun)
            continue;
        board->kept_well = board->kept_well &&
                           callbacks->unsettled(journal, span.start, 1) == WRY_KEPT_YES &&
                           callbacks->saved(journal, &was, shall) == WRY_KEPT_YES &&
                           was.offset == span.start && callbacks->end(journal, &span) &&
                           callbacks->unsettled(journal, 0, 0x400000) == WRY_KEPT_NO;
    }
    if (board->bad > 0)
        board->kept_well = strstr(journal_problem(journal), "could not be read") != NULL;
    journal_close(journal);
    return NULL;
}

/* One whose content cannot be read fails with its own words, and stops none of the others. */
static void many_boards_wait_for_the_disk_together(void)
{
    struct bench_board boards[BOARDS] = {0};
    GThread *threads[BOARDS];

    for (unsigned i = 0; i < BOARDS; i++) {
        boards[i].reply = mine;
        boards[i].reply.eui48[5] = (uint8_t)(0x10 + i);
        boards[i].spoils = i % 4 == 1;
        threads[i] = g_thread_new("board", work_at_board, &boards[i]);
    }
    for (unsigned i = 0; i < BOARDS; i++)
        g_thread_join(threads[i]);
    for (unsigned i = 0; i < BOARDS; i++) {
        check_context("board %u", i);
        CHECK_EQUAL(boards[i].spoils ? 0 : ROUNDS, boards[i].good);
        CHECK_EQUAL(boards[i].spoils ? ROUNDS : 0, boards[i].bad);
        CHECK(boards[i].kept_well);
    }
}

static gpointer join_and_do(gpointer data)
{
    struct group_commit *own = data;

    if (!group_commit_join(own)) {
        for (struct group_commit *each = own; each; each = each->next) {
            g_atomic_int_inc((int *)each->work);
            each->good = true;
        }
        group_commit_finish(own);
    }
    return NULL;
}

/* Whoever comes while one works is done by the next; other work does not wait for it. */
static void work_is_done_once_whoever_does_it(void)
{
    int done[6] = {0};
    struct group_commit works[6];
    GThread *threads[6];

    for (unsigned i = 0; i < 6; i++)
        works[i] = (struct group_commit){.key = i == 5 ? "other" : "same", .work = &done[i]};
    CHECK(!group_commit_join(&works[0]));
    for (unsigned i = 1; i < 6; i++)
        threads[i] = g_thread_new("joins", join_and_do, &works[i]);
    g_thread_join(threads[5]);
    CHECK_EQUAL(1, done[5]);
    CHECK_EQUAL(0, done[1] + done[2] + done[3] + done[4]);
    group_commit_finish(&works[0]);
    for (unsigned i = 1; i < 5; i++) {
        g_thread_join(threads[i]);
        CHECK(works[i].good);
        CHECK_EQUAL(1, done[i]);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(it_outlives_its_process),
        FACT(rows_belong_to_address_chip_size_and_id),
        FACT(boards_without_an_address_are_not_one_board),
        FACT(what_has_no_place_any_more_becomes_a_file),
        FACT(stretches_are_told_with_what_is_kept),
        FACT(a_lock_is_an_error_and_never_an_empty_journal),
        FACT(a_journal_that_is_no_database_is_refused),
        FACT(a_damaged_page_is_noticed),
        FACT(a_table_with_rules_of_its_own_is_no_journal),
        FACT(rows_that_nobody_keeps_are_a_problem),
        FACT(one_of_version_1_is_brought_up_to_date),
        FACT(one_of_version_2_is_brought_up_to_date),
        FACT(what_was_read_of_a_sector_is_what_is_kept),
        FACT(many_boards_wait_for_the_disk_together),
        FACT(work_is_done_once_whoever_does_it),
    };
    rig_random(old, sizeof old, 6);
    rig_random(intended, sizeof intended, 7);
    int code = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
    scratch_remove();
    return code;
}
