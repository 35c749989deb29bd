/* Tables, laid out by libsmartcols. */
#include "table.h"

#include <libsmartcols.h>
#include <string.h>

struct table {
    const struct app *app;
    struct libscols_table *scols;
};

struct table *table_new(const struct app *app, ...)
{
    struct table *table = g_new0(struct table, 1);
    bool any = false;
    va_list heads;
    const char *head;

    table->app = app;
    table->scols = scols_new_table();
    va_start(heads, app);
    while ((head = va_arg(heads, const char *))) {
        scols_table_new_column(table->scols, head, 0, 0);
        any = any || head[0] != '\0';
    }
    va_end(heads);
    scols_table_enable_noheadings(table->scols, !any);
    /* Cells are made printable here, independent of the locale. */
    scols_table_enable_noencoding(table->scols, 1);
    scols_table_set_column_separator(table->scols, "  ");
    return table;
}

void table_right(struct table *table, size_t column)
{
    scols_column_set_flags(scols_table_get_column(table->scols, column), SCOLS_FL_RIGHT);
}

void table_row(struct table *table, ...)
{
    struct libscols_line *line = scols_table_new_line(table->scols, NULL);
    const char *cell;
    va_list cells;

    va_start(cells, table);
    for (size_t i = 0; (cell = va_arg(cells, const char *)); i++) {
        g_autofree char *clean = app_printable(cell);
        scols_line_set_data(line, i, clean);
    }
    va_end(cells);
}

static void print_line(const struct app *app, char *line, unsigned columns)
{
    g_strchomp(line);
    if (columns > 0 && g_utf8_strlen(line, -1) > (glong)columns) {
        g_autofree char *part = g_utf8_substring(line, 0, (glong)columns - 1);
        app_print(app, "%s…", part);
    } else {
        app_print(app, "%s", line);
    }
}

void table_end(struct table *table, bool cut)
{
    char *text = NULL;
    unsigned columns = cut ? app_columns() : 0;

    if (scols_table_get_nlines(table->scols) > 0 &&
        scols_print_table_to_string(table->scols, &text) == 0) {
        g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
        for (char **line = lines; *line && (line[0][0] != '\0' || line[1]); line++)
            print_line(table->app, *line, columns);
    }
    free(text);
    scols_unref_table(table->scols);
    g_free(table);
}
