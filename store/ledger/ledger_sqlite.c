/* A ledger in an SQLite file. */
#include "store/ledger/ledger_sqlite.h"

#include <sqlite3.h>

#include "base/process_mark.h"
#include "ledger_migrations.h"
#include "store/db/database.h"
#include "store/ledger/ledger_columns.h"

enum {
    PAGE = 16384, /* bytes: a row takes 1 to 2 KB, and of smaller pages a quarter stays unused */
    BUSY_TIME = 5000, /* ms: several processes may write at once, and no run may be lost */
};

struct ledger_sqlite {
    sqlite3 *db;
    bool unsure; /* writes are not flushed now */
};

struct ledger_sqlite *ledger_sqlite_open(const char *path, GError **error)
{
    const struct database_kind kind = {
        .steps = ledger_sqlite_migrations,
        .settings = "PRAGMA synchronous = FULL",
        .page = PAGE,
        .busy = BUSY_TIME,
    };
    sqlite3 *db = database_open(path, &kind, (struct wry_stop){0}, error);
    struct ledger_sqlite *lite = db ? g_new0(struct ledger_sqlite, 1) : NULL;

    if (lite)
        lite->db = db;
    return lite;
}

void ledger_sqlite_close(struct ledger_sqlite *lite)
{
    if (!lite)
        return;
    database_shrink(lite->db);
    sqlite3_close(lite->db);
    g_free(lite);
}

bool ledger_sqlite_be_sure(struct ledger_sqlite *lite, bool sure, GError **error)
{
    if (sure == !lite->unsure)
        return true;
    lite->unsure = !sure;
    return database_execute(
        lite->db, sure ? "PRAGMA synchronous = FULL" : "PRAGMA synchronous = NORMAL", error);
}

static char *put_statement(void)
{
    g_autofree char *names = ledger_column_names();
    GString *text = g_string_new(NULL);

    g_string_append_printf(text, "INSERT OR REPLACE INTO run (%s, process, waiting) VALUES (",
                           names);
    for (int i = 1; i <= LEDGER_COLUMNS + 2; i++)
        g_string_append_printf(text, "%s?%d", i > 1 ? ", " : "", i);
    g_string_append_c(text, ')');
    return g_string_free(text, FALSE);
}

bool ledger_sqlite_put(struct ledger_sqlite *lite, const struct wry_ledger_run *run,
                       const char *process, bool waiting, GError **error)
{
    g_autofree char *text = put_statement();
    sqlite3_stmt *statement = database_prepare(lite->db, text, error);

    for (int i = 0; i < LEDGER_COLUMNS && statement; i++) {
        char *value = wry_ledger_run_value(run, &ledger_columns[i]);
        sqlite3_bind_text(statement, i + 1, value, -1, SQLITE_TRANSIENT);
        g_free(value);
    }
    if (statement) {
        sqlite3_bind_text(statement, LEDGER_COLUMNS + 1, process, -1, SQLITE_TRANSIENT);
        sqlite3_bind_int(statement, LEDGER_COLUMNS + 2, waiting);
    }
    return database_run(lite->db, statement, error);
}

/* Runs a statement on one row. */
static bool change(struct ledger_sqlite *lite, const char *text, const char *id, GError **error)
{
    sqlite3_stmt *statement = database_prepare(lite->db, text, error);

    if (statement)
        sqlite3_bind_text(statement, 1, id, -1, SQLITE_TRANSIENT);
    return database_run(lite->db, statement, error);
}

bool ledger_sqlite_find_cut(struct ledger_sqlite *lite, const char *computer, GError **error)
{
    sqlite3_stmt *statement = database_prepare(
        lite->db,
        "SELECT id, process FROM run WHERE outcome = 'running' AND outcome != 'passed' "
        "AND computer = ?1",
        error);
    g_autoptr(GPtrArray) cut = g_ptr_array_new_with_free_func(g_free);
    int step = SQLITE_ERROR;

    if (!statement)
        return false;
    sqlite3_bind_text(statement, 1, computer, -1, SQLITE_TRANSIENT);
    while ((step = sqlite3_step(statement)) == SQLITE_ROW) {
        const char *mark = (const char *)sqlite3_column_text(statement, 1);
        if (!mark || !process_mark_is_alive(mark))
            g_ptr_array_add(cut, g_strdup((const char *)sqlite3_column_text(statement, 0)));
    }
    bool good = step == SQLITE_DONE || database_fail(lite->db, error);
    sqlite3_finalize(statement);
    for (guint i = 0; i < cut->len && good; i++)
        good = change(lite,
                      "UPDATE run SET outcome = 'cut', process = NULL, reason = "
                      "'ended without saying how: killed, or the power went' "
                      "WHERE id = ?1 AND outcome = 'running'",
                      g_ptr_array_index(cut, i), error);
    return good;
}

/* Reads a row without copying: texts belong to SQLite until the next step. Texts that are not UTF-8
 * are converted and owned by made. */
static void lend_row(sqlite3_stmt *statement, struct wry_ledger_run *run, GPtrArray *made)
{
    for (int i = 0; i < LEDGER_COLUMNS; i++) {
        const char *text = (const char *)sqlite3_column_text(statement, i);
        if (text && !g_utf8_validate(text, -1, NULL)) {
            g_ptr_array_add(made, g_utf8_make_valid(text, -1));
            text = g_ptr_array_index(made, made->len - 1);
        }
        ledger_lend_value(run, &ledger_columns[i], text);
    }
}

static bool visit(struct ledger_sqlite *lite, sqlite3_stmt *statement, wry_ledger_take take,
                  void *context, GError **error)
{
    g_autoptr(GPtrArray) made = g_ptr_array_new_with_free_func(g_free);
    int step = SQLITE_DONE;
    bool more = true;

    while (more && (step = sqlite3_step(statement)) == SQLITE_ROW) {
        struct wry_ledger_run run;
        lend_row(statement, &run, made);
        more = take(context, &run);
        g_ptr_array_set_size(made, 0);
    }
    bool good = !more || step == SQLITE_DONE || database_fail(lite->db, error);
    sqlite3_finalize(statement);
    return good;
}

bool ledger_sqlite_each(struct ledger_sqlite *lite, const struct wry_ledger_filter *filter,
                        wry_ledger_take take, void *context, GError **error)
{
    g_autofree char *names = ledger_read_names(filter->brief, NULL);
    struct ledger_where where = ledger_where(filter, '?');
    g_autoptr(GString) text = g_string_new(NULL);

    g_string_append_printf(text, "SELECT %s FROM run%s ORDER BY %s", names, where.text->str,
                           where.order->str);
    if (filter->most > 0)
        g_string_append_printf(text, " LIMIT %u", filter->most);
    sqlite3_stmt *statement = database_prepare(lite->db, text->str, error);
    for (guint i = 0; i < where.values->len && statement; i++)
        sqlite3_bind_text(statement, (int)i + 1, g_ptr_array_index(where.values, i), -1,
                          SQLITE_TRANSIENT);
    ledger_where_clear(&where);
    return statement && visit(lite, statement, take, context, error);
}

bool ledger_sqlite_values(struct ledger_sqlite *lite, enum wry_ledger_field field, const char *part,
                          unsigned most, GPtrArray *found, GError **error)
{
    char *forms[2];
    unsigned count = ledger_values_part(field, part, forms);
    g_autofree char *text = ledger_values_query(field, count, '?', most);
    sqlite3_stmt *statement = database_prepare(lite->db, text, error);
    int step = SQLITE_ERROR;

    for (unsigned i = 0; i < count; i++) {
        if (statement)
            sqlite3_bind_text(statement, (int)i + 1, forms[i], -1, SQLITE_TRANSIENT);
    }
    g_free(forms[0]);
    g_free(forms[1]);
    if (!statement)
        return false;
    while ((step = sqlite3_step(statement)) == SQLITE_ROW)
        g_ptr_array_add(found,
                        g_utf8_make_valid((const char *)sqlite3_column_text(statement, 0), -1));
    bool good = step == SQLITE_DONE || database_fail(lite->db, error);
    sqlite3_finalize(statement);
    return good;
}

GPtrArray *ledger_sqlite_waiting(struct ledger_sqlite *lite, const char *mark, unsigned most,
                                 GError **error)
{
    g_autofree char *names = ledger_column_names();
    g_autofree char *text = g_strdup_printf(
        "SELECT %s FROM run WHERE waiting = 1 AND waiting > 0 AND outcome != 'running' "
        "AND tried IS NOT ?1 ORDER BY tries, began LIMIT %u",
        names, most);
    GPtrArray *runs = ledger_runs_new();
    sqlite3_stmt *statement = database_prepare(lite->db, text, error);

    if (statement)
        sqlite3_bind_text(statement, 1, mark, -1, SQLITE_TRANSIENT);
    if (statement && visit(lite, statement, ledger_collect, runs, error))
        return runs;
    g_ptr_array_unref(runs);
    return NULL;
}

static int count(struct ledger_sqlite *lite, const char *text, GError **error)
{
    sqlite3_stmt *statement = database_prepare(lite->db, text, error);
    int found = -1;

    if (statement && sqlite3_step(statement) == SQLITE_ROW)
        found = sqlite3_column_int(statement, 0);
    else if (statement)
        database_fail(lite->db, error);
    sqlite3_finalize(statement);
    return found;
}

int ledger_sqlite_count_waiting(struct ledger_sqlite *lite, GError **error)
{
    return count(lite,
                 "SELECT count(*) FROM run WHERE waiting = 1 AND waiting > 0 AND "
                 "outcome != 'running'",
                 error);
}

bool ledger_sqlite_each_refused(struct ledger_sqlite *lite,
                                void (*take)(void *context, const char *id, const char *reason,
                                             bool is_tried),
                                void *context, GError **error)
{
    sqlite3_stmt *statement =
        database_prepare(lite->db,
                         "SELECT id, refused, waiting = 1 FROM run WHERE refused IS NOT NULL AND "
                         "waiting > 0 ORDER BY began",
                         error);
    int step = SQLITE_ERROR;

    while (statement && (step = sqlite3_step(statement)) == SQLITE_ROW) {
        const char *id = (const char *)sqlite3_column_text(statement, 0);
        g_autofree char *valid = g_utf8_make_valid(id ? id : "", -1);
        const char *reason = (const char *)sqlite3_column_text(statement, 1);
        g_autofree char *words = g_utf8_make_valid(reason ? reason : "", -1);
        take(context, valid, words, sqlite3_column_int(statement, 2) != 0);
    }
    bool good = step == SQLITE_DONE || (statement && database_fail(lite->db, error));
    sqlite3_finalize(statement);
    return good;
}

bool ledger_sqlite_drop(struct ledger_sqlite *lite, const char *id, GError **error)
{
    return change(lite, "DELETE FROM run WHERE id = ?1 AND waiting > 0", id, error);
}

bool ledger_sqlite_refuse(struct ledger_sqlite *lite, const char *id, const char *mark,
                          const char *reason, bool set_aside, GError **error)
{
    sqlite3_stmt *statement =
        database_prepare(lite->db,
                         "UPDATE run SET waiting = ?2, tried = ?3, refused = ?4, tries = tries + 1 "
                         "WHERE id = ?1 AND waiting > 0",
                         error);

    if (statement) {
        sqlite3_bind_text(statement, 1, id, -1, SQLITE_TRANSIENT);
        sqlite3_bind_int(statement, 2, set_aside ? 2 : 1);
        sqlite3_bind_text(statement, 3, mark, -1, SQLITE_TRANSIENT);
        sqlite3_bind_text(statement, 4, reason, -1, SQLITE_TRANSIENT);
    }
    return database_run(lite->db, statement, error);
}

bool ledger_sqlite_take_up(struct ledger_sqlite *lite, GError **error)
{
    return database_execute(lite->db,
                            "UPDATE run SET waiting = 1 WHERE waiting = 2 AND waiting > 0", error);
}

bool ledger_sqlite_set_server(struct ledger_sqlite *lite, const char *name, GError **error)
{
    return change(lite,
                  "INSERT INTO about (server) SELECT ?1 WHERE NOT EXISTS (SELECT 1 FROM about)",
                  name, error);
}

char *ledger_sqlite_server(struct ledger_sqlite *lite)
{
    sqlite3_stmt *statement = database_prepare(lite->db, "SELECT server FROM about", NULL);
    char *name = NULL;

    if (statement && sqlite3_step(statement) == SQLITE_ROW) {
        const char *text = (const char *)sqlite3_column_text(statement, 0);
        name = text ? g_utf8_make_valid(text, -1) : NULL;
    }
    sqlite3_finalize(statement);
    return name;
}

bool ledger_sqlite_begin(struct ledger_sqlite *lite, GError **error)
{
    return database_execute(lite->db, "BEGIN IMMEDIATE", error);
}

bool ledger_sqlite_finish(struct ledger_sqlite *lite, bool good, GError **error)
{
    if (good && database_execute(lite->db, "COMMIT", error))
        return true;
    database_execute(lite->db, "ROLLBACK", NULL);
    return false;
}
