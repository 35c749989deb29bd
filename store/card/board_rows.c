/* The rows of a table of boards. */
#include "store/card/board_rows.h"

#include <stdlib.h>
#include <string.h>

#include "wrytograph-host/units.h"

bool board_rows_is_setting(const char *name)
{
    return g_ascii_strcasecmp(name, BOARD_ROWS_ADDRESS) != 0 &&
           g_ascii_strcasecmp(name, BOARD_ROWS_USED) != 0;
}

static void add_name(GString *to, const char *column, const char *text)
{
    const char *slash = strchr(column, '/');

    if (text[0] != '\0')
        g_string_append_printf(to, "%s%s %s", to->len > 0 ? ", " : "", slash ? slash + 1 : column,
                               text);
}

/* The first setting of a row. */
static void add_first(GString *to, const struct csv_table *table, guint row)
{
    const GArray *columns = g_ptr_array_index(table->rows, 0);

    for (guint i = 0; i < columns->len; i++) {
        const char *column = g_array_index(columns, struct csv_field, i).text;
        if (!board_rows_is_setting(column))
            continue;
        add_name(to, column, csv_table_at(table, row, (int)i));
        return;
    }
}

char *board_rows_name(const struct csv_table *table, guint row, const char *const *names)
{
    GString *name = g_string_new(NULL);

    if (!names)
        add_first(name, table, row);
    for (const char *const *column = names; column && *column; column++)
        add_name(name, *column, csv_table_at(table, row, csv_table_column(table, *column)));
    return g_string_free(name, name->len == 0);
}

bool board_rows_is_of_share(guint row, struct card_share share)
{
    return share.of < 2 || (row - 1) % share.of == share.part - 1;
}

static int by_line(const void *a, const void *b)
{
    unsigned x = *(const unsigned *)a, y = *(const unsigned *)b;

    return (x > y) - (x < y);
}

bool board_rows_is_among(const unsigned *lines, size_t count, unsigned line)
{
    return count == 0 || bsearch(&line, lines, count, sizeof *lines, by_line) != NULL;
}

unsigned board_rows_line(const struct csv_table *table, guint row)
{
    const GArray *fields = g_ptr_array_index(table->rows, row);

    return fields->len > 0 ? g_array_index(fields, struct csv_field, 0).line : 0;
}

static void free_row(void *item)
{
    struct board_row *row = item;

    g_free(row->name);
    g_free(row);
}

GPtrArray *board_rows_load(const char *path, const char *const *names, struct card_share share,
                           GError **error)
{
    struct csv_table *table = csv_table_load(path, error);
    GPtrArray *rows = table ? g_ptr_array_new_with_free_func(free_row) : NULL;

    if (!table)
        return NULL;
    int address = csv_table_column(table, BOARD_ROWS_ADDRESS);
    int used = csv_table_column(table, BOARD_ROWS_USED);
    for (guint i = 1; i < table->rows->len; i++) {
        struct board_row *row = g_new0(struct board_row, 1);
        row->line = board_rows_line(table, i);
        row->has_board =
            address >= 0 && wry_units_parse_address(csv_table_at(table, i, address), row->eui48);
        const char *when = csv_table_at(table, i, used);
        row->is_used = g_ascii_isdigit(when[0]);
        row->is_free = when[0] == '\0' && csv_table_at(table, i, address)[0] == '\0';
        row->is_of_share = board_rows_is_of_share(i, share);
        row->name = board_rows_name(table, i, names);
        g_ptr_array_add(rows, row);
    }
    csv_table_free(table);
    return rows;
}
