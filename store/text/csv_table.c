/* CSV tables, by libcsv. */
#include "store/text/csv_table.h"

#include <csv.h>
#include <stdlib.h>
#include <string.h>

#include "store/file/error.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph-host/text_file.h"

enum {
    FIELD_MOST = 8192, /* most bytes of a field */
    COLUMNS_MOST = 128,
};

#define BYTE_ORDER_MARK "\xEF\xBB\xBF"

struct reader {
    struct csv_table *table;
    GArray *row;                 /* being read */
    unsigned line, column;       /* position of the current byte */
    unsigned at_line, at_column; /* position where the field began */
    unsigned wrong_line, wrong_column;
    const char *wrong; /* with the field that began there; NULL: nothing */
};

static void clear_field(void *item)
{
    g_free(((struct csv_field *)item)->text);
}

static GArray *row_new(void)
{
    GArray *row = g_array_new(FALSE, TRUE, sizeof(struct csv_field));

    g_array_set_clear_func(row, clear_field);
    return row;
}

/* About the field that has just ended; only the first one is reported. */
static void complain(struct reader *reader, const char *what)
{
    if (reader->wrong)
        return;
    reader->wrong = what;
    reader->wrong_line = reader->at_line;
    reader->wrong_column = reader->at_column;
}

static void take_field(void *bytes, size_t n, void *context)
{
    struct reader *reader = context;
    struct csv_field field = {.line = reader->at_line, .column = reader->at_column};

    if (n > FIELD_MOST || memchr(bytes ? bytes : "", '\0', n) ||
        !g_utf8_validate(bytes ? bytes : "", (gssize)n, NULL))
        complain(reader, "a field is not UTF-8 text, or too long");
    else if (reader->row->len >= COLUMNS_MOST)
        complain(reader, "too many columns");
    else
        field.text = g_strndup(bytes ? bytes : "", n);
    if (field.text)
        g_array_append_val(reader->row, field);
}

static void end_row(int by, void *context)
{
    struct reader *reader = context;

    (void)by;
    g_ptr_array_add(reader->table->rows, reader->row);
    reader->row = row_new();
}

/* Parses byte by byte, so that the position of each field is known. */
static gboolean parse(struct reader *reader, const char *text, size_t n, GError **error)
{
    struct csv_parser parser;
    bool quoted = false, good = csv_init(&parser, CSV_STRICT | CSV_STRICT_FINI) == 0;

    csv_set_delim(&parser, (unsigned char)reader->table->delimiter);
    reader->line = reader->column = reader->at_line = reader->at_column = 1;
    for (size_t i = 0; i < n && good && !reader->wrong; i++) {
        good = csv_parse(&parser, &text[i], 1, take_field, end_row, reader) == 1;
        quoted = quoted != (text[i] == '"');
        if ((text[i] & 0xC0) != 0x80)
            reader->column++;
        if (text[i] == '\n') {
            reader->line++;
            reader->column = 1;
        }
        if (!quoted && (text[i] == reader->table->delimiter || text[i] == '\n')) {
            reader->at_line = reader->line;
            reader->at_column = reader->column;
        }
    }
    good = good && (reader->wrong || csv_fini(&parser, take_field, end_row, reader) == 0);
    csv_free(&parser);
    if (good && !reader->wrong)
        return TRUE;
    if (!reader->wrong) {
        reader->at_line = reader->line;
        reader->at_column = reader->column;
        complain(reader, "a quotation mark where none is allowed");
    }
    return store_error(error, WRY_STORE_ERROR_DAMAGED, "%s:%u:%u: %s", reader->table->path,
                       reader->wrong_line, reader->wrong_column, reader->wrong);
}

/* Judges by the first line that is not blank; text in quotes does not count. */
static char find_delimiter(const char *text)
{
    bool quoted = false, semicolon = false, comma = false;

    text += strspn(text, "\r\n\t ");
    for (; *text && (quoted || !strchr("\r\n", *text)); text++) {
        quoted = quoted != (*text == '"');
        semicolon = semicolon || (!quoted && *text == ';');
        comma = comma || (!quoted && *text == ',');
    }
    return semicolon && !comma ? ';' : ',';
}

struct csv_table *csv_table_load(const char *path, GError **error)
{
    g_autoptr(GError) inner = NULL;
    size_t n = 0;
    g_autofree char *text = wry_text_file_read(path, WRY_TEXT_FILE_TABLE, &n, &inner);

    if (!text) {
        store_error(error, WRY_STORE_ERROR_FILE, "%s", inner->message);
        return NULL;
    }
    struct csv_table *table = g_new0(struct csv_table, 1);
    table->is_marked = g_str_has_prefix(text, BYTE_ORDER_MARK);
    size_t skip = table->is_marked ? strlen(BYTE_ORDER_MARK) : 0;
    struct reader reader = {.table = table, .row = row_new()};
    table->path = g_strdup(path);
    table->rows = g_ptr_array_new_with_free_func((GDestroyNotify)g_array_unref);
    table->delimiter = find_delimiter(text + skip);
    gboolean good = parse(&reader, text + skip, n - skip, error);
    g_array_unref(reader.row);
    if (good && table->rows->len == 0) {
        store_error(error, WRY_STORE_ERROR_DAMAGED, "%s:1:1: the line of names is missing", path);
        good = FALSE;
    }
    if (good)
        return table;
    csv_table_free(table);
    return NULL;
}

void csv_table_free(struct csv_table *table)
{
    if (!table)
        return;
    g_ptr_array_unref(table->rows);
    g_free(table->path);
    g_free(table);
}

int csv_table_column(const struct csv_table *table, const char *name)
{
    const GArray *names = g_ptr_array_index(table->rows, 0);

    for (guint i = 0; i < names->len; i++) {
        if (g_ascii_strcasecmp(g_array_index(names, struct csv_field, i).text, name) == 0)
            return (int)i;
    }
    return -1;
}

int csv_table_add_column(struct csv_table *table, const char *name)
{
    const GArray *names = g_ptr_array_index(table->rows, 0);
    int column = (int)names->len;

    csv_table_set(table, 0, column, name);
    return column;
}

const char *csv_table_at(const struct csv_table *table, guint row, int column)
{
    const GArray *fields = g_ptr_array_index(table->rows, row);

    return column >= 0 && (guint)column < fields->len
               ? g_array_index(fields, struct csv_field, column).text
               : "";
}

void csv_table_set(struct csv_table *table, guint row, int column, const char *text)
{
    GArray *fields = g_ptr_array_index(table->rows, row);

    while (fields->len <= (guint)column) {
        struct csv_field empty = {.text = g_strdup("")};
        g_array_append_val(fields, empty);
    }
    struct csv_field *field = &g_array_index(fields, struct csv_field, column);
    g_free(field->text);
    field->text = g_strdup(text);
}

/* alone: the only field of its row, which would be a blank line without quotes. */
static void append_field(GString *to, const char *text, bool alone)
{
    size_t n = strlen(text);

    if (!strpbrk(text, "\"\r\n\t,;") && text[0] != ' ' &&
        !g_str_has_prefix(text, BYTE_ORDER_MARK) && (n == 0 ? !alone : text[n - 1] != ' ')) {
        g_string_append(to, text);
        return;
    }
    g_autofree char *quoted = g_malloc(n * 2 + 3);
    gsize length = csv_write(quoted, n * 2 + 3, text, n);
    g_string_append_len(to, quoted, (gssize)length);
}

gboolean csv_table_save(const struct csv_table *table, GError **error)
{
    g_autoptr(GString) text = g_string_new(table->is_marked ? BYTE_ORDER_MARK : NULL);
    /* The target of a link is replaced, not the link. */
    char *path = realpath(table->path, NULL);

    for (guint i = 0; i < table->rows->len; i++) {
        const GArray *fields = g_ptr_array_index(table->rows, i);
        for (guint k = 0; k < fields->len; k++) {
            if (k > 0)
                g_string_append_c(text, table->delimiter);
            append_field(text, g_array_index(fields, struct csv_field, k).text, fields->len == 1);
        }
        g_string_append(text, "\r\n");
    }
    gboolean saved = path ? wry_atomic_file_replace(path, text->str, text->len, error)
                          : store_file_error(error, table->path);
    free(path);
    return saved;
}
