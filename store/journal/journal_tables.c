/* The journal's tables and their versions, and waiting for another process's lock. */
#include "store/journal/journal_tables.h"

#include <glib/gstdio.h>

#include "store/db/database.h"
#include "store/file/file_cache.h"

enum {
    VERSION = 3,
    BUSY_SHORT = 1,    /* ms: about as long as a commit of another board takes */
    BUSY_SHORTS = 200, /* such waits, then */
    BUSY_SLICE = 50,   /* ms */
    BUSY_SLICES = 100, /* such waits: a lock held for five seconds is not a commit */
};

static const char schema[] =
    "CREATE TABLE IF NOT EXISTS unsettled ("
    " board TEXT NOT NULL, chip INTEGER NOT NULL, flash INTEGER NOT NULL, jedec TEXT NOT NULL,"
    " offset INTEGER NOT NULL, old BLOB, intended BLOB, since TEXT NOT NULL,"
    " old_from INTEGER NOT NULL DEFAULT 0,"
    " PRIMARY KEY (board, chip, flash, jedec, offset)) WITHOUT ROWID;";

/* Version 1 stored the address and the old content alone. */
static const char from_version_1[] =
    "INSERT INTO unsettled SELECT board, -1, -1, '', offset, content, NULL, '', 0 FROM sectors;"
    "DROP TABLE sectors;";

/* Version 2 stored whole sectors. */
static const char from_version_2[] =
    "ALTER TABLE unsettled ADD COLUMN old_from INTEGER NOT NULL DEFAULT 0;";

bool journal_fail_for(struct journal *journal, const char *format, ...)
{
    va_list arguments;

    g_free(journal->problem);
    va_start(arguments, format);
    journal->problem = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    return false;
}

bool journal_fail(struct journal *journal)
{
    return journal_fail_for(journal, "%s", sqlite3_errmsg(journal->db));
}

bool journal_execute(struct journal *journal, const char *text)
{
    return database_execute(journal->db, text, NULL) || journal_fail(journal);
}

int journal_wait_for_lock(void *context, int times)
{
    const struct journal *journal = context;

    if (times >= BUSY_SHORTS + BUSY_SLICES || wry_stop_asked(journal->stop))
        return 0;
    g_usleep((times < BUSY_SHORTS ? BUSY_SHORT : BUSY_SLICE) * 1000);
    return 1;
}

static bool get_number(struct journal *journal, const char *text, int64_t *number)
{
    return database_number(journal->db, text, number, NULL) || journal_fail(journal);
}

static bool is_whole(struct journal *journal)
{
    sqlite3_stmt *statement = database_prepare(journal->db, "PRAGMA quick_check(1)", NULL);
    bool whole = false;

    if (statement && sqlite3_step(statement) == SQLITE_ROW) {
        const char *text = (const char *)sqlite3_column_text(statement, 0);
        whole = g_strcmp0(text, "ok") == 0;
        journal_fail_for(journal, "%s", text ? text : "");
    } else {
        journal_fail(journal);
    }
    sqlite3_finalize(statement);
    return whole;
}

static bool check_version(struct journal *journal, int64_t *version)
{
    if (!get_number(journal, "PRAGMA user_version", version))
        return false;
    if (*version <= VERSION)
        return true;
    return journal_fail_for(journal, "it was written by a newer version of wrytograph");
}

/* Refuses a table of another program, with other columns or with triggers: rows stored there might
 * be lost. */
static bool is_ours(struct journal *journal)
{
    int64_t same = 0, rules = 0;

    if (!get_number(journal,
                    "SELECT group_concat(name || ' ' || type || ' ' || pk || ' ' || hidden) = "
                    "'board TEXT 1 0,chip INTEGER 2 0,flash INTEGER 3 0,jedec TEXT 4 0,"
                    "offset INTEGER 5 0,old BLOB 0 0,intended BLOB 0 0,since TEXT 0 0,"
                    "old_from INTEGER 0 0' FROM pragma_table_xinfo('unsettled')",
                    &same) ||
        !get_number(journal,
                    "SELECT count(*) FROM sqlite_master WHERE type IN ('trigger', 'view') OR "
                    "sql LIKE '%collate%' OR sql LIKE '%check%'",
                    &rules))
        return false;
    if (same == 1 && rules == 0)
        return true;
    return journal_fail_for(journal, "its tables are not those of a journal");
}

/* One transaction. The empty DELETE fails here, before any erase, on a file that is read-only. */
static bool prepare_tables(struct journal *journal)
{
    int64_t version = 0, old_table = 0;

    if (!journal_execute(journal, "PRAGMA synchronous = FULL") || !is_whole(journal) ||
        !journal_execute(journal, "BEGIN IMMEDIATE"))
        return false;
    if (check_version(journal, &version) &&
        (version != 2 || journal_execute(journal, from_version_2)) &&
        journal_execute(journal, schema) &&
        get_number(journal, "SELECT count(*) FROM sqlite_master WHERE name = 'sectors'",
                   &old_table) &&
        (old_table == 0 || journal_execute(journal, from_version_1)) &&
        journal_execute(journal, "PRAGMA user_version = 3") && is_ours(journal) &&
        journal_execute(journal, "DELETE FROM unsettled WHERE 0") &&
        journal_execute(journal, "COMMIT"))
        return true;
    database_rollback(journal->db);
    return false;
}

/* False for a missing or empty file: it has no tables, even if an earlier file of its name had. */
static bool ready_fact(const struct journal *journal, struct file_fact *fact)
{
    GStatBuf info;

    if (g_stat(journal->path, &info) != 0 || info.st_size == 0)
        return false;
    *fact = (struct file_fact){
        .kind = FILE_FACT_TABLES_READY, .number = info.st_ino, .path = journal->path};
    return true;
}

bool journal_prepare(struct journal *journal)
{
    static GMutex lock;
    struct file_fact ready;
    bool prepared = false;

    while (!g_mutex_trylock(&lock)) {
        if (!journal_wait_for_lock(journal, 0))
            return journal_fail(journal);
    }
    if (ready_fact(journal, &ready) && file_cache_knows(&ready))
        prepared = journal_execute(journal, "PRAGMA synchronous = FULL");
    else
        prepared = prepare_tables(journal);
    if (prepared && ready_fact(journal, &ready))
        file_cache_learn(&ready);
    g_mutex_unlock(&lock);
    return prepared;
}

bool journal_is_empty(struct journal *journal)
{
    int64_t tables = 0;

    return get_number(journal, "SELECT count(*) FROM sqlite_master", &tables) && tables == 0;
}

bool journal_prepare_to_look(struct journal *journal)
{
    int64_t version = 0;

    if (!is_whole(journal) || !check_version(journal, &version))
        return false;
    if (journal_is_empty(journal))
        return true;
    if (version == VERSION)
        return is_ours(journal);
    return journal_fail_for(journal, "it was written by an older version of wrytograph; the next "
                                     "write, erase, restore or backup converts it");
}
