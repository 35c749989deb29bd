/* Sheets of labels. */
#include "label_sheet.h"

#include <gio/gio.h>
#include <glib/gstdio.h>
#include <string.h>

#include "wrytograph-host/atomic_file.h"

#define CONVERTER "rsvg-convert"

enum {
    WIDTH = 210, /* mm, A4 (ISO 216) */
    HEIGHT = 297,
    PADDING = 2, /* mm around a label: printers and cutters are not exact */
};

static bool fail(GError **error, const char *what)
{
    g_set_error(error, G_MARKUP_ERROR, G_MARKUP_ERROR_PARSE, "a label %s", what);
    return false;
}

/* Only that it is well-formed: what is in it is for the reader of the SVG. */
static bool is_well_formed(const char *svg, GError **error)
{
    static const GMarkupParser parser = {0};
    GMarkupParseContext *context = g_markup_parse_context_new(&parser, 0, NULL, NULL);
    bool good = g_markup_parse_context_parse(context, svg, -1, error) &&
                g_markup_parse_context_end_parse(context, error);

    g_markup_parse_context_free(context);
    return good;
}

/* Puts a label into a cell: the size of its outermost element is replaced; its viewBox scales it.
 */
static bool add_label(GString *page, const char *svg, double x, double y, double width,
                      double height, GError **error)
{
    g_autoptr(GRegex) size =
        g_regex_new("\\s(width|height|x|y)\\s*=\\s*(\"[^\"]*\"|'[^']*')", 0, 0, NULL);
    const char *root = strstr(svg, "<svg"), *end = root ? strchr(root, '>') : NULL;
    char place[4][G_ASCII_DTOSTR_BUF_SIZE];
    const double values[] = {x, y, width, height};

    if (!is_well_formed(svg, error))
        return false;
    if (!end || end[-1] == '/')
        return fail(error, "is not an SVG document");
    g_autofree char *head = g_strndup(root + 4, (gsize)(end - root - 4));
    if (!strstr(head, "viewBox"))
        return fail(error, "has no viewBox, so it cannot be scaled");
    g_autofree char *bare = g_regex_replace_literal(size, head, -1, 0, "", 0, NULL);
    for (size_t i = 0; i < G_N_ELEMENTS(values); i++)
        g_ascii_formatd(place[i], sizeof place[i], "%.3f", values[i]);
    g_string_append_printf(page, "<svg x=\"%s\" y=\"%s\" width=\"%s\" height=\"%s\"%s%s\n",
                           place[0], place[1], place[2], place[3], bare, end);
    return true;
}

static GString *begin_page(void)
{
    GString *page = g_string_new(NULL);

    g_string_printf(page,
                    "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"%dmm\" height=\"%dmm\" "
                    "viewBox=\"0 0 %d %d\">\n<rect width=\"%d\" height=\"%d\" fill=\"#fff\"/>\n",
                    WIDTH, HEIGHT, WIDTH, HEIGHT, WIDTH, HEIGHT);
    return page;
}

static void end_page(GPtrArray *pages, GString *page)
{
    g_string_append(page, "</svg>\n");
    g_ptr_array_add(pages, g_string_free(page, FALSE));
}

GPtrArray *label_sheet_pages(const GPtrArray *labels, const struct label_grid *grid, GError **error)
{
    GPtrArray *pages = g_ptr_array_new_with_free_func(g_free);
    double width = (WIDTH - 2 * grid->margin) / grid->columns;
    double height = (HEIGHT - 2 * grid->margin) / grid->rows;
    unsigned place = grid->first - 1, most = grid->columns * grid->rows;
    GString *page = begin_page();
    bool good = true;

    for (guint i = 0; i < labels->len && good; i++, place++) {
        if (place == most) {
            end_page(pages, page);
            page = begin_page();
            place = 0;
        }
        unsigned line = place / grid->columns, column = place % grid->columns;
        good =
            add_label(page, g_ptr_array_index(labels, i), grid->margin + column * width + PADDING,
                      grid->margin + line * height + PADDING, width - 2 * PADDING,
                      height - 2 * PADDING, error);
    }
    end_page(pages, page);
    if (good)
        return pages;
    g_ptr_array_unref(pages);
    return NULL;
}

/* PDF */

static bool write_pages(const GPtrArray *pages, const char *folder, GPtrArray *argv, GError **error)
{
    bool good = true;

    for (guint i = 0; i < pages->len && good; i++) {
        char *path = g_strdup_printf("%s/page-%04u.svg", folder, i + 1);
        good = g_file_set_contents(path, g_ptr_array_index(pages, i), -1, error);
        g_ptr_array_add(argv, path);
    }
    return good;
}

static char *convert(const GPtrArray *argv, gsize *n, GError **error)
{
    g_autoptr(GSubprocess) process =
        g_subprocess_newv((const char *const *)argv->pdata,
                          G_SUBPROCESS_FLAGS_STDOUT_PIPE | G_SUBPROCESS_FLAGS_STDERR_PIPE, error);
    g_autoptr(GBytes) out = NULL, told = NULL;

    if (!process || !g_subprocess_communicate(process, NULL, NULL, &out, &told, error))
        return NULL;
    if (g_subprocess_get_if_exited(process) && g_subprocess_get_exit_status(process) == 0)
        return g_bytes_unref_to_data(g_steal_pointer(&out), n);
    g_autofree char *why = g_strndup(g_bytes_get_data(told, NULL), g_bytes_get_size(told));
    g_set_error(error, G_FILE_ERROR, G_FILE_ERROR_FAILED, "%s: %s", CONVERTER, g_strstrip(why));
    return NULL;
}

char *label_sheet_pdf(const GPtrArray *pages, gsize *n, GError **error)
{
    g_autoptr(GPtrArray) argv = g_ptr_array_new_with_free_func(g_free);
    g_autofree char *program = g_find_program_in_path(CONVERTER);
    g_autofree char *folder = NULL;
    char *pdf = NULL;

    if (!program) {
        g_set_error(error, G_FILE_ERROR, G_FILE_ERROR_NOENT,
                    "a PDF is made by %s, which is not installed (Debian: librsvg2-bin); an .svg "
                    "needs nothing",
                    CONVERTER);
        return NULL;
    }
    folder = wry_temporary_folder("labels", error);
    if (!folder)
        return NULL;
    g_ptr_array_add(argv, g_strdup(program));
    g_ptr_array_add(argv, g_strdup("--format=pdf"));
    guint first = argv->len;
    if (write_pages(pages, folder, argv, error)) {
        g_ptr_array_add(argv, NULL);
        pdf = convert(argv, n, error);
    }
    for (guint i = first; i < argv->len && g_ptr_array_index(argv, i); i++)
        g_unlink(g_ptr_array_index(argv, i));
    g_rmdir(folder);
    return pdf;
}
