#include "rows.h"

#include <glib.h>
#include <sqlite3.h>

enum {
    CHANGES_MOST = 12,
    LARGE = 4096, /* bytes: a sector */
};

static const char tables[] = "SELECT name FROM sqlite_master WHERE type = 'table' "
                             "AND name NOT LIKE 'sqlite%' ORDER BY name";

/* Rules as in a file that somebody made anew. */
static const char without_rules[] = "PRAGMA writable_schema = ON;"
                                    "UPDATE sqlite_master SET sql = replace(sql, ' NOT NULL', '');"
                                    "PRAGMA writable_schema = OFF;";

/* The names that a query gives, as strings to be freed. */
static GPtrArray *names(sqlite3 *db, const char *query)
{
    GPtrArray *list = g_ptr_array_new_with_free_func(g_free);
    sqlite3_stmt *statement = NULL;

    if (sqlite3_prepare_v2(db, query, -1, &statement, NULL) == SQLITE_OK) {
        while (sqlite3_step(statement) == SQLITE_ROW)
            g_ptr_array_add(list, g_strdup((const char *)sqlite3_column_text(statement, 0)));
    }
    sqlite3_finalize(statement);
    return list;
}

static void bind(sqlite3_stmt *statement, int at, struct door_input *input)
{
    uint8_t kind = door_byte(input), small = door_byte(input);
    size_t left = input->n - input->at, n = small < left ? small : left;
    const void *bytes = input->bytes + input->at;

    switch (kind % 8) {
    case 0:
        sqlite3_bind_null(statement, at);
        break;
    case 1:
        sqlite3_bind_int(statement, at, (int8_t)small);
        break;
    case 2:
        sqlite3_bind_int64(statement, at, (int64_t)door_number(input) << small % 32);
        break;
    case 3:
        sqlite3_bind_double(statement, at, (double)door_number(input) / (small + 1));
        break;
    case 4:
        sqlite3_bind_zeroblob(statement, at, LARGE * (small % 4));
        break;
    case 5: /* of the board that asks */
        sqlite3_bind_text(statement, at, "02:00:00:00:00:01", -1, SQLITE_STATIC);
        break;
    case 6:
        sqlite3_bind_text(statement, at, bytes, (int)n, SQLITE_TRANSIENT);
        input->at += n;
        break;
    default:
        sqlite3_bind_blob(statement, at, bytes, (int)n, SQLITE_TRANSIENT);
        input->at += n;
    }
}

/* One column of all rows. */
static char *update(const char *table, const GPtrArray *columns, struct door_input *input)
{
    const char *column = g_ptr_array_index(columns, door_byte(input) % columns->len);

    return g_strdup_printf("UPDATE OR IGNORE \"%s\" SET \"%s\" = ?1", table, column);
}

static char *insert(const char *table, const GPtrArray *columns)
{
    g_autoptr(GString) text = g_string_new(NULL);

    g_string_printf(text, "INSERT OR REPLACE INTO \"%s\" VALUES (?", table);
    for (guint i = 1; i < columns->len; i++)
        g_string_append(text, ", ?");
    g_string_append(text, ")");
    return g_string_free(g_steal_pointer(&text), FALSE);
}

static void change(sqlite3 *db, const char *table, struct door_input *input)
{
    g_autofree char *query = g_strdup_printf("SELECT name FROM pragma_table_info('%s')", table);
    g_autoptr(GPtrArray) columns = names(db, query);
    g_autofree char *text = NULL;
    sqlite3_stmt *statement = NULL;

    if (columns->len == 0)
        return;
    text = door_byte(input) % 2 ? update(table, columns, input) : insert(table, columns);
    if (sqlite3_prepare_v2(db, text, -1, &statement, NULL) == SQLITE_OK) {
        for (int i = 1; i <= sqlite3_bind_parameter_count(statement); i++)
            bind(statement, i, input);
        sqlite3_step(statement);
    }
    sqlite3_finalize(statement);
}

void rows_change(const char *path, struct door_input *input)
{
    sqlite3 *db = NULL;

    MUST(sqlite3_open(path, &db) == SQLITE_OK);
    if (door_byte(input) % 2) {
        sqlite3_exec(db, without_rules, NULL, NULL, NULL);
        sqlite3_close(db);
        MUST(sqlite3_open(path, &db) == SQLITE_OK);
    }
    g_autoptr(GPtrArray) list = names(db, tables);
    for (unsigned i = 0; i < CHANGES_MOST && input->at < input->n && list->len > 0; i++)
        change(db, g_ptr_array_index(list, door_byte(input) % list->len), input);
    sqlite3_close(db);
}
