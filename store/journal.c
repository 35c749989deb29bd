/* The journal, in SQLite: durable by the time a call returns. */
#include "journal.h"

#include <glib/gstdio.h>
#include <sqlite3.h>
#include <string.h>

#include "error.h"
#include "units.h"

struct journal {
    sqlite3 *db;
    char *board; /* EUI-48 as text */
    struct wry_keeper keeper;
};

static const char schema[] = "PRAGMA synchronous = FULL;"
                             "CREATE TABLE IF NOT EXISTS sectors ("
                             " board TEXT NOT NULL, offset INTEGER NOT NULL, content BLOB,"
                             " PRIMARY KEY (board, offset)) WITHOUT ROWID;";

/* Runs one statement with ?1 = board, ?2 and ?3 = numbers, ?4 = content or NULL. */
static bool run(struct journal *journal, const char *text, int64_t a, int64_t b,
                const uint8_t *content)
{
    sqlite3_stmt *statement = NULL;

    if (sqlite3_prepare_v2(journal->db, text, -1, &statement, NULL) != SQLITE_OK)
        return false;
    sqlite3_bind_text(statement, 1, journal->board, -1, SQLITE_STATIC);
    sqlite3_bind_int64(statement, 2, a);
    sqlite3_bind_int64(statement, 3, b);
    if (content)
        sqlite3_bind_blob(statement, 4, content, WRY_SECTOR_SIZE, SQLITE_STATIC);
    bool done = sqlite3_step(statement) == SQLITE_DONE;
    sqlite3_finalize(statement);
    return done;
}

static bool save(struct journal *journal, uint32_t offset, const uint8_t *content)
{
    return !content ||
           run(journal,
               "INSERT INTO sectors VALUES (?1, ?2, ?4) ON CONFLICT DO UPDATE SET content = ?4",
               offset, 0, content);
}

static bool execute(struct journal *journal, const char *text)
{
    return sqlite3_exec(journal->db, text, NULL, NULL, NULL) == SQLITE_OK;
}

static bool add_run(struct journal *journal, const struct wry_run *range, const uint8_t *head,
                    const uint8_t *tail)
{
    for (uint32_t at = range->start; at < range->end; at += WRY_SECTOR_SIZE) {
        if (!run(journal, "INSERT OR IGNORE INTO sectors VALUES (?1, ?2, NULL)", at, 0, NULL))
            return false;
    }
    return save(journal, range->start, head) && save(journal, range->end - WRY_SECTOR_SIZE, tail);
}

static bool begin(void *context, const struct wry_run *range, const uint8_t *head,
                  const uint8_t *tail)
{
    struct journal *journal = context;

    if (!execute(journal, "BEGIN IMMEDIATE"))
        return false;
    if (add_run(journal, range, head, tail) && execute(journal, "COMMIT"))
        return true;
    execute(journal, "ROLLBACK");
    return false;
}

static bool end(void *context, const struct wry_run *range)
{
    return run(context, "DELETE FROM sectors WHERE board = ?1 AND offset >= ?2 AND offset < ?3",
               range->start, range->end, NULL);
}

static bool unsettled(void *context, uint32_t offset, uint32_t length)
{
    struct journal *journal = context;
    sqlite3_stmt *statement = NULL;
    bool any = true;

    /* When the journal cannot be asked, the careful answer is yes. */
    if (sqlite3_prepare_v2(journal->db,
                           "SELECT 1 FROM sectors WHERE board = ?1 AND offset >= ?2 AND offset < "
                           "?3 LIMIT 1",
                           -1, &statement, NULL) == SQLITE_OK) {
        sqlite3_bind_text(statement, 1, journal->board, -1, SQLITE_STATIC);
        sqlite3_bind_int64(statement, 2, offset - offset % WRY_SECTOR_SIZE);
        sqlite3_bind_int64(statement, 3, (int64_t)offset + length);
        any = sqlite3_step(statement) != SQLITE_DONE;
    }
    sqlite3_finalize(statement);
    return any;
}

static bool saved(void *context, uint32_t *offset, uint8_t content[WRY_SECTOR_SIZE])
{
    struct journal *journal = context;
    sqlite3_stmt *statement = NULL;
    bool found = false;

    if (sqlite3_prepare_v2(journal->db,
                           "SELECT offset, content FROM sectors WHERE board = ?1 AND content IS "
                           "NOT NULL ORDER BY offset LIMIT 1",
                           -1, &statement, NULL) == SQLITE_OK) {
        sqlite3_bind_text(statement, 1, journal->board, -1, SQLITE_STATIC);
        found = sqlite3_step(statement) == SQLITE_ROW &&
                sqlite3_column_bytes(statement, 1) == (int)WRY_SECTOR_SIZE;
        if (found) {
            *offset = (uint32_t)sqlite3_column_int64(statement, 0);
            memcpy(content, sqlite3_column_blob(statement, 1), WRY_SECTOR_SIZE);
        }
    }
    sqlite3_finalize(statement);
    return found;
}

char *journal_default_folder(void)
{
    const char *folder = g_getenv("WRYTOGRAPH_STATE");

    if (folder && folder[0] != '\0')
        return g_strdup(folder);
    return g_build_filename(g_get_user_state_dir(), "wrytograph", NULL);
}

struct journal *journal_open(const char *folder, GError **error)
{
    g_autofree char *path = g_build_filename(folder, "journal.db", NULL);
    struct journal *journal = g_new0(struct journal, 1);

    journal->board = g_strdup("");
    journal->keeper = (struct wry_keeper){
        .context = journal, .begin = begin, .end = end, .unsettled = unsettled, .saved = saved};
    if (g_mkdir_with_parents(folder, 0700) != 0) {
        store_file_error(error, folder);
    } else if (sqlite3_open(path, &journal->db) != SQLITE_OK ||
               sqlite3_busy_timeout(journal->db, 5000) != SQLITE_OK || !execute(journal, schema)) {
        g_set_error(error, STORE_ERROR, STORE_ERROR_FILE, "%s: %s", path, journal_problem(journal));
    } else {
        return journal;
    }
    journal_close(journal);
    return NULL;
}

void journal_close(struct journal *journal)
{
    if (!journal)
        return;
    sqlite3_close(journal->db);
    g_free(journal->board);
    g_free(journal);
}

void journal_set_board(struct journal *journal, const uint8_t eui48[WRY_EUI48_SIZE])
{
    g_free(journal->board);
    journal->board = units_address(eui48);
}

const struct wry_keeper *journal_keeper(struct journal *journal)
{
    return &journal->keeper;
}

const char *journal_problem(const struct journal *journal)
{
    return sqlite3_errmsg(journal->db);
}
