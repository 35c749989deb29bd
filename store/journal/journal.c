/* The journal, in SQLite: durable by the time a call returns. */
#include "store/journal/journal.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <sqlite3.h>
#include <string.h>

#include "store/db/database.h"
#include "store/file/error.h"
#include "store/journal/journal_commit.h"
#include "store/journal/journal_tables.h"
#include "wrytograph-host/units.h"

enum {
    STRETCHES_MAX = 64, /* that journal_unsettled reports */
};

/* The board's rows, by the parameters ?1 to ?4. Rows of version 1 have the address alone. */
#define OF_BOARD "board = ?1 AND chip IN (?2, -1) AND flash IN (?3, -1) AND jedec IN (?4, '') "

/* A statement with the board bound to ?1 to ?4; NULL, and the problem set, if it is refused. */
static sqlite3_stmt *prepare(struct journal *journal, const char *text)
{
    sqlite3_stmt *statement = database_prepare(journal->db, text, NULL);

    if (!statement) {
        journal_fail(journal);
        return NULL;
    }
    sqlite3_bind_text(statement, 1, journal->board, -1, SQLITE_STATIC);
    sqlite3_bind_int64(statement, 2, journal->chip);
    sqlite3_bind_int64(statement, 3, journal->flash);
    sqlite3_bind_text(statement, 4, journal->jedec, -1, SQLITE_STATIC);
    return statement;
}

/* Runs a statement that gives no rows. */
static bool finish(struct journal *journal, sqlite3_stmt *statement)
{
    return database_run(journal->db, statement, NULL) || journal_fail(journal);
}

/* Marks sectors as unsettled. Every other process waits for this transaction, so the statement is
 * prepared once for all of them. */
static bool add_sectors(struct journal *journal, uint32_t start, uint32_t end)
{
    sqlite3_stmt *statement =
        prepare(journal, "INSERT INTO unsettled VALUES (?1, ?2, ?3, ?4, ?5, NULL, NULL, "
                         "strftime('%Y-%m-%dT%H:%M:%SZ', 'now'), 0) "
                         "ON CONFLICT (board, chip, flash, jedec, offset) DO NOTHING");
    bool done = statement != NULL;

    for (uint32_t at = start; at < end && done; at += WRY_SECTOR_SIZE) {
        sqlite3_reset(statement);
        sqlite3_bind_int64(statement, 5, at);
        done = sqlite3_step(statement) == SQLITE_DONE || journal_fail(journal);
    }
    sqlite3_finalize(statement);
    return done;
}

/* Adds to a marked sector the bytes that it shares with other content, and what is to be written.
 */
static bool add_kept(struct journal *journal, const struct wry_journal_sector *kept, uint32_t start,
                     const struct wry_reader *intended)
{
    uint8_t content[WRY_SECTOR_SIZE];

    if (!intended->read(intended->context, kept->offset - start, content, sizeof content))
        return journal_fail_for(journal, "the content to be written could not be read");
    sqlite3_stmt *statement =
        prepare(journal, "UPDATE unsettled SET old = ?5, old_from = ?6, intended = ?7 "
                         "WHERE " OF_BOARD "AND offset = ?8");
    if (statement) {
        sqlite3_bind_blob(statement, 5, kept->bytes + kept->from, kept->to - kept->from,
                          SQLITE_STATIC);
        sqlite3_bind_int(statement, 6, kept->from);
        sqlite3_bind_blob(statement, 7, content, sizeof content, SQLITE_STATIC);
        sqlite3_bind_int64(statement, 8, kept->offset);
    }
    return finish(journal, statement);
}

static bool add_rows(struct journal *journal, const struct journal_change *change)
{
    bool done = add_sectors(journal, change->start, change->end);

    for (size_t i = 0; i < change->count && done; i++)
        done = add_kept(journal, &change->kept[i], change->start, change->intended);
    return done;
}

static bool delete_rows(struct journal *journal, const struct journal_change *change)
{
    sqlite3_stmt *statement = prepare(journal, "DELETE FROM unsettled WHERE " OF_BOARD
                                               "AND offset >= ?5 AND offset < ?6");

    if (statement) {
        sqlite3_bind_int64(statement, 5, change->start);
        sqlite3_bind_int64(statement, 6, change->end);
    }
    return finish(journal, statement);
}

static bool begin(void *context, const struct wry_span *span, const struct wry_journal_sector *kept,
                  size_t count, const struct wry_reader *intended)
{
    struct journal_change change = {.journal = context,
                                    .apply = add_rows,
                                    .start = span->start,
                                    .end = span->end,
                                    .kept = kept,
                                    .count = count,
                                    .intended = intended};

    return journal_commit(&change);
}

static bool forget(struct journal *journal, uint32_t start, uint32_t end)
{
    struct journal_change change = {
        .journal = journal, .apply = delete_rows, .start = start, .end = end};

    return journal_commit(&change);
}

static bool end(void *context, const struct wry_span *span)
{
    return forget(context, span->start, span->end);
}

/* Of a statement that asks whether there is such a row. */
static enum wry_kept answer(struct journal *journal, int step)
{
    if (step == SQLITE_ROW)
        return WRY_KEPT_YES;
    if (step == SQLITE_DONE)
        return WRY_KEPT_NO;
    journal_fail(journal);
    return WRY_KEPT_UNKNOWN;
}

static enum wry_kept unsettled(void *context, uint32_t offset, uint32_t length)
{
    struct journal *journal = context;
    sqlite3_stmt *statement = prepare(journal, "SELECT 1 FROM unsettled WHERE " OF_BOARD
                                               "AND offset >= ?5 AND offset < ?6 "
                                               "LIMIT 1");

    if (!statement)
        return WRY_KEPT_UNKNOWN;
    sqlite3_bind_int64(statement, 5, offset - offset % WRY_SECTOR_SIZE);
    sqlite3_bind_int64(statement, 6, (int64_t)offset + length);
    enum wry_kept found = answer(journal, sqlite3_step(statement));
    sqlite3_finalize(statement);
    return found;
}

/* Rows may have been altered or damaged: content must be whole pages within one sector. */
static bool take_old(struct journal *journal, sqlite3_stmt *statement, int column,
                     struct wry_journal_sector *old)
{
    const void *content = sqlite3_column_blob(statement, column);
    int64_t from = sqlite3_column_int64(statement, column + 1);
    int n = sqlite3_column_bytes(statement, column);

    if (!content || n == 0 || from < 0 || from > WRY_SECTOR_SIZE || from + n > WRY_SECTOR_SIZE ||
        (from | n) % (int)WRY_PAGE_SIZE != 0)
        return journal_fail_for(journal, "it has content of a sector that is not whole pages");
    old->from = (uint16_t)from;
    old->to = (uint16_t)(from + n);
    memset(old->bytes, 0xFF, sizeof old->bytes);
    memcpy(old->bytes + from, content, (size_t)n);
    return true;
}

/* Fits the type; the caller compares it with the size of the flash. */
static bool take_offset(struct journal *journal, sqlite3_stmt *statement, int column,
                        uint32_t *offset)
{
    int64_t at = sqlite3_column_int64(statement, column);

    if (at < 0 || at > UINT32_MAX)
        return journal_fail_for(journal,
                                "it has a sector at %" G_GINT64_FORMAT ", which no flash has", at);
    *offset = (uint32_t)at;
    return true;
}

static bool take_intended(sqlite3_stmt *statement, int column, uint8_t to[WRY_SECTOR_SIZE])
{
    const void *content = sqlite3_column_blob(statement, column);

    if (!content || sqlite3_column_bytes(statement, column) != (int)WRY_SECTOR_SIZE)
        return false;
    memcpy(to, content, WRY_SECTOR_SIZE);
    return true;
}

static enum wry_kept saved(void *context, struct wry_journal_sector *old,
                           uint8_t intended[WRY_SECTOR_SIZE])
{
    struct journal *journal = context;
    sqlite3_stmt *statement =
        prepare(journal, "SELECT offset, old, old_from, intended FROM unsettled WHERE " OF_BOARD
                         "AND old IS NOT NULL ORDER BY offset LIMIT 1");

    if (!statement)
        return WRY_KEPT_UNKNOWN;
    enum wry_kept found = answer(journal, sqlite3_step(statement));
    if (found == WRY_KEPT_YES) {
        if (!take_offset(journal, statement, 0, &old->offset) ||
            !take_old(journal, statement, 1, old))
            found = WRY_KEPT_UNKNOWN;
        else if (!take_intended(statement, 3, intended))
            memcpy(intended, old->bytes, WRY_SECTOR_SIZE);
    }
    sqlite3_finalize(statement);
    return found;
}

/* Writes content that can no longer go back into the flash to a file, and remembers its path. */
static bool set_aside(struct journal *journal, uint32_t offset, const void *content, int n)
{
    g_autofree char *address = g_strdelimit(g_strdup(journal->board), ":#", '-');
    g_autofree char *name = g_strdup_printf("beside-%s-0x%06X-%" G_GINT64_FORMAT ".bin", address,
                                            (unsigned)offset, g_get_real_time() / 1000);
    g_autofree char *path = g_build_filename(journal->folder, name, NULL);
    g_autoptr(GError) error = NULL;

    if (!g_file_set_contents_full(path, content, n, G_FILE_SET_CONTENTS_DURABLE, 0600, &error))
        return journal_fail_for(journal, "%s", error->message);
    g_ptr_array_add(journal->aside, g_steal_pointer(&path));
    return true;
}

static bool yield(void *context, uint32_t offset)
{
    struct journal *journal = context;
    sqlite3_stmt *statement = prepare(journal, "SELECT old, old_from FROM unsettled WHERE " OF_BOARD
                                               "AND offset = ?5 AND old IS NOT NULL");
    struct wry_journal_sector old = {0};
    bool kept = true;

    if (!statement)
        return false;
    sqlite3_bind_int64(statement, 5, offset);
    int step = sqlite3_step(statement);
    if (step == SQLITE_ROW)
        kept = take_old(journal, statement, 0, &old) &&
               set_aside(journal, offset + old.from, old.bytes + old.from, old.to - old.from);
    sqlite3_finalize(statement);
    return kept && answer(journal, step) != WRY_KEPT_UNKNOWN && forget(journal, offset, offset + 1);
}

bool journal_set_all_aside(struct journal *journal)
{
    struct wry_journal_sector old;
    uint8_t intended[WRY_SECTOR_SIZE];
    enum wry_kept found;

    while ((found = saved(journal, &old, intended)) == WRY_KEPT_YES) {
        if (!yield(journal, old.offset))
            return false;
    }
    return found == WRY_KEPT_NO && forget(journal, 0, UINT32_MAX);
}

/* Merges adjacent sectors of one kind into one stretch. */
static void add_stretch(GArray *list, uint32_t offset, bool content, const char *since)
{
    struct journal_stretch *last =
        list->len > 0 ? &g_array_index(list, struct journal_stretch, list->len - 1) : NULL;

    if (last && last->offset + last->length == offset && last->has_content == content) {
        last->length += WRY_SECTOR_SIZE;
    } else if (list->len < STRETCHES_MAX) {
        struct journal_stretch stretch = {
            .offset = offset, .length = WRY_SECTOR_SIZE, .has_content = content};
        if (since && strlen(since) < sizeof stretch.since && g_utf8_validate(since, -1, NULL))
            g_strlcpy(stretch.since, since, sizeof stretch.since);
        g_array_append_val(list, stretch);
    }
}

bool journal_unsettled(struct journal *journal, GArray **stretches)
{
    sqlite3_stmt *statement = prepare(journal, "SELECT offset, old IS NOT NULL, since FROM "
                                               "unsettled WHERE " OF_BOARD "ORDER BY offset");
    int step = SQLITE_ERROR;
    bool sound = true;

    *stretches = g_array_new(FALSE, TRUE, sizeof(struct journal_stretch));
    while (statement && sound && (step = sqlite3_step(statement)) == SQLITE_ROW) {
        uint32_t offset = 0;
        sound = take_offset(journal, statement, 0, &offset);
        if (sound)
            add_stretch(*stretches, offset, sqlite3_column_int(statement, 1) != 0,
                        (const char *)sqlite3_column_text(statement, 2));
    }
    if (statement && sound && step != SQLITE_DONE)
        journal_fail(journal);
    sqlite3_finalize(statement);
    return step == SQLITE_DONE;
}

const GPtrArray *journal_set_aside(const struct journal *journal)
{
    return journal->aside;
}

static struct journal *open_file(const char *folder, struct wry_stop stop, bool to_look,
                                 GError **error)
{
    struct journal *journal = g_new0(struct journal, 1);

    journal->folder = g_strdup(folder);
    journal->path = g_build_filename(folder, "journal.db", NULL);
    journal->stop = stop;
    journal->board = g_strdup("");
    journal->jedec = g_strdup("");
    journal->aside = g_ptr_array_new_with_free_func(g_free);
    journal->journal = (struct wry_journal){.context = journal,
                                            .begin = begin,
                                            .end = end,
                                            .unsettled = unsettled,
                                            .saved = saved,
                                            .yield = yield};
    bool opened = to_look
                      ? database_look(journal->path, &journal->db, NULL) || journal_fail(journal)
                      : database_connect(journal->path, &journal->db, error);
    if (opened) {
        sqlite3_busy_handler(journal->db, journal_wait_for_lock, journal);
        opened = to_look ? journal_prepare_to_look(journal) : journal_prepare(journal);
    }
    if (opened)
        return journal;
    if (journal->problem)
        store_error(error, WRY_STORE_ERROR_FILE, "%s: %s", journal->path, journal->problem);
    journal_close(journal);
    return NULL;
}

struct journal *journal_open(const char *folder, struct wry_stop stop, GError **error)
{
    return open_file(folder, stop, false, error);
}

bool journal_open_to_look(const char *folder, struct wry_stop stop, struct journal **journal,
                          GError **error)
{
    g_autofree char *path = g_build_filename(folder, "journal.db", NULL);

    *journal = NULL;
    if (g_access(path, F_OK) != 0 && errno == ENOENT)
        return true;
    *journal = open_file(folder, stop, true, error);
    if (!*journal)
        return false;
    if (journal_is_empty(*journal)) {
        journal_close(*journal);
        *journal = NULL;
    }
    return true;
}

void journal_close(struct journal *journal)
{
    if (!journal)
        return;
    sqlite3_close(journal->db);
    g_free(journal->folder);
    g_free(journal->path);
    g_free(journal->board);
    g_free(journal->jedec);
    g_free(journal->problem);
    g_ptr_array_unref(journal->aside);
    g_free(journal);
}

bool journal_knows_board(const uint8_t eui48[WRY_EUI48_SIZE])
{
    static const uint8_t zeros[WRY_EUI48_SIZE];

    return memcmp(eui48, zeros, sizeof zeros) != 0 && (eui48[0] & 1) == 0;
}

void journal_set_board(struct journal *journal, const struct wry_hello_reply *board)
{
    g_autofree char *address = wry_units_address(board->eui48);
    g_autofree char *one_job = g_uuid_string_random();

    g_free(journal->board);
    g_free(journal->jedec);
    /* Many boards may have an address such as FF:FF:FF:FF:FF:FF, so the rows of such a job are
     * found by this job alone. */
    journal->board = journal_knows_board(board->eui48) ? g_steal_pointer(&address)
                                                       : g_strdup_printf("%s#%s", address, one_job);
    journal->jedec = wry_units_jedec(board->jedec);
    journal->chip = board->chip_code;
    journal->flash = board->capacity;
}

const struct wry_journal *journal_callbacks(struct journal *journal)
{
    return &journal->journal;
}

const char *journal_problem(const struct journal *journal)
{
    return journal->problem ? journal->problem : "unknown";
}

const char *journal_path(const struct journal *journal)
{
    return journal->path;
}
