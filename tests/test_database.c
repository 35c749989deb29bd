/* Opening SQLite stores: half made, by several at once, with the right mode. */
#include <glib.h>
#include <glib/gstdio.h>
#include <signal.h>
#include <sqlite3.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "command.h"
#include "harness.h"
#include "store/db/database.h"
#include "store/journal/journal.h"
#include "store/ledger/ledger_sqlite.h"
#include "store/shelf/backups.h"
#include "store/shelf/known_index.h"
#include "store/shelf/shelf_store.h"
#include "tables.h"

static const char *const two_steps[] = {
    "CREATE TABLE IF NOT EXISTS tide (height INTEGER);"
    "CREATE INDEX IF NOT EXISTS tide_height ON tide (height);",
    "ALTER TABLE tide ADD COLUMN pier TEXT;",
    NULL,
};

static const struct database_kind tides = {.steps = two_steps, .busy = 1000};

static const char *path_in(const char *folder, const char *name)
{
    g_autofree char *path = g_build_filename(scratch_file(folder), name, NULL);

    return g_intern_string(path);
}

static mode_t mode_of(const char *path)
{
    GStatBuf info = {0};

    CHECK_EQUAL(0, g_stat(path, &info));
    return info.st_mode & 0777;
}

static bool can_be_used(const char *path)
{
    g_autoptr(GError) error = NULL;
    sqlite3 *db = database_open(path, &tides, (struct wry_stop){0}, &error);
    bool good = db && sqlite3_exec(db, "INSERT INTO tide VALUES (-1827, 'C')", NULL, NULL, NULL) ==
                          SQLITE_OK;

    if (error)
        g_printerr("%s\n", error->message);
    sqlite3_close(db);
    return good;
}

static void a_new_file_is_private_and_so_is_its_log(void)
{
    const char *path = path_in("private", "tide.db");
    mode_t before = umask(0);

    CHECK_EQUAL(0, g_mkdir(scratch_file("private"), 0755));
    sqlite3 *db = database_open(path, &tides, (struct wry_stop){0}, NULL);
    CHECK(db != NULL);
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(db, "INSERT INTO tide VALUES (1, 'A')", NULL, NULL, NULL));
    CHECK_EQUAL(0600, mode_of(path));
    CHECK_EQUAL(0600, mode_of(path_in("private", "tide.db-wal")));
    sqlite3_close(db);
    umask(before);
}

static void a_file_that_others_could_read_becomes_private_unless_a_group_may_write_it(void)
{
    const char *path = path_in("older", "tide.db");

    CHECK_EQUAL(0, g_mkdir(scratch_file("older"), 0755));
    CHECK(can_be_used(path));
    CHECK_EQUAL(0, g_chmod(path, 0644));
    CHECK(can_be_used(path));
    CHECK_EQUAL(0600, mode_of(path));
    CHECK_EQUAL(0, g_chmod(path, 0660));
    CHECK(can_be_used(path));
    CHECK_EQUAL(0660, mode_of(path));
}

static void the_journal_is_private_in_a_folder_that_was_there(void)
{
    mode_t before = umask(022);

    CHECK_EQUAL(0, g_mkdir(scratch_file("state"), 0755));
    struct journal *journal = journal_open(scratch_file("state"), (struct wry_stop){0}, NULL);
    CHECK(journal != NULL);
    CHECK_EQUAL(0600, mode_of(path_in("state", "journal.db")));
    journal_close(journal);
    umask(before);
}

/* Earlier versions ran each statement of the schema by itself, and the number after them. */
static void what_a_kill_left_half_made_is_completed(void)
{
    static const char *const begun[] = {
        "PRAGMA journal_mode = WAL",
        "CREATE TABLE tide (height INTEGER)",
        "CREATE TABLE tide (height INTEGER); CREATE INDEX tide_height ON tide (height)",
    };

    CHECK_EQUAL(0, g_mkdir(scratch_file("half"), 0755));
    for (size_t i = 0; i < G_N_ELEMENTS(begun); i++) {
        g_autofree char *name = g_strdup_printf("%zu.db", i);
        check_context("%s", begun[i]);
        tables_change(path_in("half", name), begun[i]);
        CHECK(can_be_used(path_in("half", name)));
        CHECK(can_be_used(path_in("half", name)));
    }
    check_context(NULL);
}

static void half_made_stores_of_earlier_versions_open(void)
{
    g_autoptr(GError) error = NULL;

    CHECK_EQUAL(0, g_mkdir(scratch_file("stores"), 0755));
    tables_change(path_in("stores", "shelf.db"),
                  "CREATE TABLE image (sha256 BLOB PRIMARY KEY, name TEXT NOT NULL, version TEXT "
                  "NOT NULL, file TEXT NOT NULL, added TEXT NOT NULL, size INTEGER NOT NULL, "
                  "is_table INTEGER NOT NULL, chip INTEGER NOT NULL, flash INTEGER NOT NULL, kind "
                  "INTEGER NOT NULL, only_upgrade INTEGER NOT NULL, body BLOB NOT NULL, preferred "
                  "INTEGER NOT NULL DEFAULT 0) WITHOUT ROWID");
    tables_change(path_in("stores", "backups.db"),
                  "CREATE TABLE backup (path TEXT PRIMARY KEY, address TEXT NOT NULL, flash "
                  "INTEGER NOT NULL, whole INTEGER NOT NULL, created TEXT NOT NULL, size INTEGER "
                  "NOT NULL, changed INTEGER NOT NULL) WITHOUT ROWID");
    tables_change(path_in("stores", "known.db"),
                  "CREATE TABLE file (id INTEGER PRIMARY KEY, path TEXT NOT NULL UNIQUE, kind "
                  "INTEGER NOT NULL, used INTEGER NOT NULL)");
    struct shelf *shelf = shelf_open(scratch_file("stores"), (struct wry_stop){0}, &error);
    CHECK(shelf != NULL && error == NULL);
    shelf_close(shelf);
    struct backups *backups =
        backups_open(scratch_file("stores"), scratch_file("none"), (struct wry_stop){0}, &error);
    CHECK(backups != NULL && error == NULL);
    backups_close(backups);
    struct known_index *index =
        known_index_open(scratch_file("stores"), (struct wry_stop){0}, &error);
    CHECK(index != NULL && error == NULL);
    known_index_close(index);
}

static void begin_together(const int *go, bool (*use)(const char *), const char *path)
{
    char byte;

    (void)!read(go[0], &byte, 1);
    _exit(use(path) ? 0 : 1);
}

static bool use_ledger(const char *path)
{
    struct ledger_sqlite *lite = ledger_sqlite_open(path, NULL);
    bool counted = lite && ledger_sqlite_count_waiting(lite, NULL) == 0;

    ledger_sqlite_close(lite);
    return counted;
}

/* Six processes that wait for one pipe to close. */
static unsigned failures_of_six(bool (*use)(const char *), const char *path)
{
    unsigned failed = 0;
    int go[2], status;

    CHECK_EQUAL(0, pipe(go));
    for (int i = 0; i < 6; i++) {
        if (fork() != 0)
            continue;
        close(go[1]);
        begin_together(go, use, path);
    }
    close(go[0]);
    close(go[1]);
    while (wait(&status) > 0)
        failed += status != 0;
    return failed;
}

static void six_processes_that_create_one_file_all_succeed(void)
{
    unsigned failed = 0;

    for (unsigned i = 0; i < 30; i++) {
        g_autofree char *name = g_strdup_printf("round-%u", i);
        failed += failures_of_six(can_be_used, path_in(name, "tide.db"));
        failed += failures_of_six(use_ledger, path_in(name, "ledger.db"));
    }
    CHECK_EQUAL(0, failed);
}

static bool at_once(void *context)
{
    (void)context;
    return true;
}

static void waiting_for_a_lock_ends_when_the_user_stops(void)
{
    const char *path = path_in("held", "tide.db");
    const struct wry_stop stop = {.asked = at_once};
    sqlite3 *holder = NULL;

    CHECK_EQUAL(0, g_mkdir(scratch_file("held"), 0755));
    CHECK_EQUAL(SQLITE_OK, sqlite3_open(path, &holder));
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(holder, "BEGIN EXCLUSIVE", NULL, NULL, NULL));
    g_autoptr(GError) error = NULL;
    CHECK(database_open(path, &tides, stop, &error) == NULL);
    CHECK(error && strstr(error->message, "tide.db: database is locked"));
    sqlite3_close(holder);
    CHECK(can_be_used(path));
}

static void a_newer_schema_is_left_alone(void)
{
    const char *path = path_in("newer", "tide.db");
    g_autoptr(GError) error = NULL;

    CHECK(can_be_used(path));
    tables_change(path, "PRAGMA user_version = 3");
    CHECK(database_open(path, &tides, (struct wry_stop){0}, &error) == NULL);
    CHECK(error && strstr(error->message, "this file has schema 3, made by a newer version"));
}

static void a_file_with_several_names_is_refused(void)
{
    const char *path = path_in("linked", "tide.db");
    g_autofree char *other = g_strconcat(path, ".hard", NULL);
    g_autofree char *alias = g_strconcat(path, ".soft", NULL);
    g_autoptr(GError) error = NULL;

    CHECK(can_be_used(path));
    CHECK_EQUAL(0, symlink("tide.db", alias));
    CHECK(can_be_used(alias));
    CHECK_EQUAL(0, link(path, other));
    CHECK(database_open(other, &tides, (struct wry_stop){0}, &error) == NULL);
    CHECK(error && strstr(error->message, "this file has 2 names (hard links)"));
    CHECK_EQUAL(0, g_unlink(other));
    CHECK(can_be_used(path));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_new_file_is_private_and_so_is_its_log),
        FACT(a_file_that_others_could_read_becomes_private_unless_a_group_may_write_it),
        FACT(the_journal_is_private_in_a_folder_that_was_there),
        FACT(what_a_kill_left_half_made_is_completed),
        FACT(half_made_stores_of_earlier_versions_open),
        FACT(six_processes_that_create_one_file_all_succeed),
        FACT(waiting_for_a_lock_ends_when_the_user_stops),
        FACT(a_newer_schema_is_left_alone),
        FACT(a_file_with_several_names_is_refused),
    };
    int failed = run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);

    scratch_remove();
    return failed;
}
