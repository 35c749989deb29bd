/* The journal, in SQLite: durable by the time a call returns. */
#include "store/journal/journal.h"

#include <errno.h>
#include <glib/gstdio.h>
#include <sqlite3.h>
#include <string.h>

#include "base/folders.h"
#include "base/group_commit.h"
#include "store/db/database.h"
#include "store/file/error.h"
#include "store/journal/journal_tables.h"
#include "wrytograph-host/units.h"

enum {
    STRETCHES_MAX = 64, /* told of */
};

/* The board's rows; those of version 1 knew the address only. */
#define OF_BOARD "board = ?1 AND chip IN (?2, -1) AND flash IN (?3, -1) AND jedec IN (?4, '') "

/* A statement with the board as ?1 to ?4. NULL when it cannot be made. */
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

/* One statement for all of them: others wait while the file is held. */
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

static bool add_kept(struct journal *journal, const struct wry_journal_sector *kept, uint32_t start,
                     const struct wry_reader *intended)
{
    uint8_t content[WRY_SECTOR_SIZE];

    if (!intended->read(intended->context, kept->offset - start, content, sizeof content)) {
        g_free(journal->problem);
        journal->problem = g_strdup("the content to be written could not be read");
        return false;
    }
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

/* What is changed at once, or not at all. */
struct change {
    struct journal *journal;
    bool (*apply)(struct journal *journal, const struct change *change);
    uint32_t start, end;
    const struct wry_journal_sector *kept;
    size_t count;
    const struct wry_reader *intended;
};

static bool add(struct journal *journal, const struct change *change)
{
    bool done = add_sectors(journal, change->start, change->end);

    for (size_t i = 0; i < change->count && done; i++)
        done = add_kept(journal, &change->kept[i], change->start, change->intended);
    return done;
}

static bool take_away(struct journal *journal, const struct change *change)
{
    sqlite3_stmt *statement = prepare(journal, "DELETE FROM unsettled WHERE " OF_BOARD
                                               "AND offset >= ?5 AND offset < ?6");

    if (statement) {
        sqlite3_bind_int64(statement, 5, change->start);
        sqlite3_bind_int64(statement, 6, change->end);
    }
    return finish(journal, statement);
}

/* What failed in the database of journal, to all from first to before end. */
static void tell(const struct journal *journal, const struct group_commit *first,
                 const struct group_commit *end)
{
    for (const struct group_commit *each = first; each != end; each = each->next) {
        struct journal *owner = ((const struct change *)each->work)->journal;
        if (owner == journal)
            continue;
        g_free(owner->problem);
        owner->problem = g_strdup(journal->problem);
    }
}

/* From first to before end, through the database of journal. Whoever waits for a change of its own
 * lends its journal for that. *begun: it was not kept from that by others. */
static bool apply_all(struct journal *journal, struct group_commit *first,
                      const struct group_commit *end, bool *begun)
{
    bool done = *begun = journal_execute(journal, "BEGIN IMMEDIATE");

    if (!*begun)
        tell(journal, first, end);
    for (struct group_commit *each = first; each != end && done; each = each->next) {
        struct change *change = each->work;
        sqlite3 *own = change->journal->db;
        change->journal->db = journal->db;
        done = change->apply(change->journal, change);
        change->journal->db = own;
    }
    if (done) {
        done = journal_execute(journal, "COMMIT");
        if (!done)
            tell(journal, first, end);
    }
    if (*begun && !done)
        database_rollback(journal->db);
    return done;
}

/* All at once; where that does not go, each alone, so that one that cannot be made stops no other.
 * Who has to wait for a lock until it is given up waits once. */
static void make_all(struct journal *journal, struct group_commit *first)
{
    bool begun = false, all = apply_all(journal, first, NULL, &begun);

    for (struct group_commit *each = first; each; each = each->next)
        each->good = all;
    for (struct group_commit *each = first; first->next && each && begun && !all;
         each = each->next) {
        each->good = apply_all(journal, each, each->next, &begun);
        if (!begun)
            tell(journal, each, NULL);
    }
}

/* A change is on the disk when this returns. Fifty boards at once wait for the disk together. */
static bool make(struct change *change)
{
    struct group_commit mine = {.key = change->journal->path, .work = change};

    if (!group_commit_join(&mine)) {
        make_all(change->journal, &mine);
        group_commit_finish(&mine);
    }
    return mine.good;
}

static bool begin(void *context, const struct wry_span *span, const struct wry_journal_sector *kept,
                  size_t count, const struct wry_reader *intended)
{
    struct change change = {.journal = context,
                            .apply = add,
                            .start = span->start,
                            .end = span->end,
                            .kept = kept,
                            .count = count,
                            .intended = intended};

    return make(&change);
}

static bool forget(struct journal *journal, uint32_t start, uint32_t end)
{
    struct change change = {.journal = journal, .apply = take_away, .start = start, .end = end};

    return make(&change);
}

static bool end(void *context, const struct wry_span *span)
{
    return forget(context, span->start, span->end);
}

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

static bool unsound(struct journal *journal, char *problem)
{
    g_free(journal->problem);
    journal->problem = problem;
    return false;
}

/* Whole pages, as many as a sector has room for. */
static bool take_old(struct journal *journal, sqlite3_stmt *statement, int column,
                     struct wry_journal_sector *old)
{
    const void *content = sqlite3_column_blob(statement, column);
    int64_t from = sqlite3_column_int64(statement, column + 1);
    int n = sqlite3_column_bytes(statement, column);

    if (!content || n == 0 || from < 0 || from > WRY_SECTOR_SIZE || from + n > WRY_SECTOR_SIZE ||
        (from | n) % (int)WRY_PAGE_SIZE != 0)
        return unsound(journal, g_strdup("what it kept of a sector is not of the size of pages"));
    old->from = (uint16_t)from;
    old->to = (uint16_t)(from + n);
    memset(old->bytes, 0xFF, sizeof old->bytes);
    memcpy(old->bytes + from, content, (size_t)n);
    return true;
}

/* Whether this flash has a sector there is for whoever settles it to see. */
static bool take_offset(struct journal *journal, sqlite3_stmt *statement, int column,
                        uint32_t *offset)
{
    int64_t at = sqlite3_column_int64(statement, column);

    if (at < 0 || at > UINT32_MAX)
        return unsound(journal, g_strdup_printf("it tells of a sector at %" G_GINT64_FORMAT
                                                ", where no flash has one",
                                                at));
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

/* Content that the flash has no place for any more: a file of its own, so that it is not lost. */
static bool set_aside(struct journal *journal, uint32_t offset, const void *content, int n)
{
    g_autofree char *address = g_strdelimit(g_strdup(journal->board), ":#", '-');
    g_autofree char *name = g_strdup_printf("beside-%s-0x%06X-%" G_GINT64_FORMAT ".bin", address,
                                            (unsigned)offset, g_get_real_time() / 1000);
    g_autofree char *path = g_build_filename(journal->folder, name, NULL);
    g_autoptr(GError) error = NULL;

    if (!g_file_set_contents_full(path, content, n, G_FILE_SET_CONTENTS_DURABLE, 0600, &error)) {
        g_free(journal->problem);
        journal->problem = g_strdup(error->message);
        return false;
    }
    g_ptr_array_add(journal->aside, g_steal_pointer(&path));
    return true;
}

static bool yield(void *context, uint32_t offset)
{
    struct journal *journal = context;
    sqlite3_stmt *statement = prepare(journal, "SELECT old, old_from FROM unsettled WHERE " OF_BOARD
                                               "AND offset = ?5 AND old IS NOT NULL");
    struct wry_journal_sector old;
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

/* Sectors that follow one another are one stretch. */
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
        g_set_error(error, WRY_STORE_ERROR, WRY_STORE_ERROR_FILE, "%s: %s", journal->path,
                    journal->problem);
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
    /* Boards without an address of their own are not one board: each job stands for itself. */
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
