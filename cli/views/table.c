/* Tables, laid out by libsmartcols. */
#include "table.h"

#include <libsmartcols.h>
#include <string.h>

enum {
    NARROW_INDENT = 4, /* of further lines, if the last column begins too far right */
};

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

static void print_cut(const struct app *app, const char *line, glong columns)
{
    g_autofree char *part = g_utf8_substring(line, 0, columns - 1);

    app_print_exactly(app, "%s…", part);
}

/* The last space of line within columns and after indent; NULL if there is none. */
static const char *last_space(const char *line, glong columns, glong indent)
{
    const char *best = NULL, *at = line;

    for (glong i = 0; *at && i <= columns; i++, at = g_utf8_next_char(at)) {
        if (*at == ' ' && i > indent)
            best = at;
    }
    /* A word that is wider than the terminal is not broken: the line ends after it. */
    return best ? best : strchr(at, ' ');
}

/* Continues the last cell, which begins at indent, on lines of its own. */
static void print_wrapped(const struct app *app, const char *line, glong columns, glong indent)
{
    g_autofree char *rest = g_strdup(line);
    const char *space;

    while (g_utf8_strlen(rest, -1) > columns && (space = last_space(rest, columns, indent))) {
        app_print_exactly(app, "%.*s", (int)(space - rest), rest);
        char *next = g_strdup_printf("%*s%s", (int)indent, "", space + 1);
        g_free(rest);
        rest = next;
    }
    app_print_exactly(app, "%s", rest);
}

/* The last column begins too far right for that: it comes below the others. */
static void print_below(const struct app *app, const char *line, glong columns, glong indent)
{
    glong length = g_utf8_strlen(line, -1);
    g_autofree char *before = g_utf8_substring(line, 0, MIN(indent, length));
    g_autofree char *last = length > indent ? g_utf8_substring(line, indent, length) : g_strdup("");
    glong margin = (glong)strspn(before, " ") + NARROW_INDENT;
    g_autofree char *below = g_strdup_printf("%*s%s", (int)margin, "", last);

    print_wrapped(app, g_strchomp(before), columns, margin);
    if (last[0] != '\0')
        print_wrapped(app, below, columns, margin);
}

/* Where the last column begins, by a line with text in it. */
static glong last_column(const struct table *table, char **lines)
{
    size_t head = scols_table_is_noheadings(table->scols) ? 0 : 1;

    for (size_t i = 0; i < scols_table_get_nlines(table->scols); i++) {
        struct libscols_line *line = scols_table_get_line(table->scols, i);
        const char *last =
            scols_cell_get_data(scols_line_get_cell(line, scols_table_get_ncols(table->scols) - 1));
        if (last && last[0] != '\0')
            return g_utf8_strlen(g_strchomp(lines[i + head]), -1) - g_utf8_strlen(last, -1);
    }
    return 0;
}

void table_end(struct table *table, bool cut)
{
    char *text = NULL;
    glong columns = app_columns();

    if (scols_table_get_nlines(table->scols) > 0 &&
        scols_print_table_to_string(table->scols, &text) == 0) {
        g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
        glong indent = last_column(table, lines);
        for (char **line = lines; *line && (line[0][0] != '\0' || line[1]); line++) {
            bool fits = columns == 0 || g_utf8_strlen(g_strchomp(*line), -1) <= columns;
            if (!fits && cut)
                print_cut(table->app, *line, columns);
            else if (!fits && indent < columns * 3 / 4)
                print_wrapped(table->app, *line, columns, indent);
            else if (!fits)
                print_below(table->app, *line, columns, indent);
            else
                app_print_exactly(table->app, "%s", g_strchomp(*line));
        }
    }
    free(text);
    scols_unref_table(table->scols);
    g_free(table);
}
