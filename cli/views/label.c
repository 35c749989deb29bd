/* Labels. */
#include "label.h"

#include <qrencode.h>
#include <string.h>

enum {
    WIDTH = 500, /* tenths of a millimetre */
    HEIGHT = 220,
    CODE = 180, /* side of the code */
    QUIET = 20, /* white around it; the standard asks for four modules */
    TEXT_AT = 230,
    TEXT_MOST = 22, /* characters that fit on a line */
};

static void add_code(GString *svg, const char *text)
{
    QRcode *code = QRcode_encodeString(text, 0, QR_ECLEVEL_M, QR_MODE_8, 1);

    if (!code)
        return;
    double module = (double)CODE / code->width;
    g_string_append(svg, "<path d=\"");
    for (int y = 0; y < code->width; y++) {
        for (int x = 0; x < code->width; x++) {
            if (code->data[y * code->width + x] & 1)
                g_string_append_printf(svg, "M%.2f %.2fh%.2fv%.2fh-%.2fz", QUIET + x * module,
                                       QUIET + y * module, module, module, module);
        }
    }
    g_string_append(svg, "\" fill=\"#000\" shape-rendering=\"crispEdges\"/>\n");
    QRcode_free(code);
}

static void add_text(GString *svg, int y, int size, const char *weight, const char *text)
{
    g_autofree char *escaped = g_markup_escape_text(text, -1);

    g_string_append_printf(
        svg, "<text x=\"%d\" y=\"%d\" font-size=\"%d\" font-weight=\"%s\">%s</text>\n", TEXT_AT, y,
        size, weight, escaped);
}

/* Two lines of it, broken between words; what does not fit goes. */
static void break_text(const char *text, char **first, char **second)
{
    g_auto(GStrv) words = g_strsplit(text, " ", -1);
    GString *lines[2] = {g_string_new(NULL), g_string_new(NULL)};
    unsigned line = 0;

    for (char **word = words; *word && line < 2; word++) {
        glong n = g_utf8_strlen(*word, -1), used = g_utf8_strlen(lines[line]->str, -1);
        if (used > 0 && used + 1 + n > TEXT_MOST && ++line == 2)
            break;
        g_autofree char *part = g_utf8_substring(*word, 0, MIN(n, TEXT_MOST));
        g_string_append_printf(lines[line], "%s%s", lines[line]->len > 0 ? " " : "", part);
    }
    if (line == 2)
        g_string_append(lines[1], "…");
    *first = g_string_free(lines[0], FALSE);
    *second = g_string_free(lines[1], FALSE);
}

char *label_svg(const struct wry_ledger_run *run)
{
    GString *svg = g_string_new(NULL);
    g_autofree char *version = run->card_version && run->card_version[0]
                                   ? g_strdup_printf("version %s", run->card_version)
                                   : g_strdup("");
    g_autofree char *day = g_strndup(run->ended ? run->ended : run->began, 10);
    g_autofree char *date = g_strdup_printf("passed %s", day);

    g_autofree char *first = NULL, *second = NULL;

    break_text(run->card ? run->card : run->kind, &first, &second);
    g_string_append_printf(
        svg,
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"%dmm\" height=\"%dmm\" "
        "viewBox=\"0 0 %d %d\" font-family=\"DejaVu Sans, Arial, sans-serif\">\n"
        "<title>%s</title>\n<rect width=\"%d\" height=\"%d\" fill=\"#fff\"/>\n",
        WIDTH / 10, HEIGHT / 10, WIDTH, HEIGHT, run->board, WIDTH, HEIGHT);
    add_code(svg, run->board);
    add_text(svg, 50, 25, "bold", run->board);
    add_text(svg, 92, 18, "normal", first);
    add_text(svg, 117, 18, "normal", second);
    add_text(svg, 152, 18, "normal", version);
    add_text(svg, 184, 18, "normal", date);
    g_string_append(svg, "</svg>\n");
    return g_string_free(svg, FALSE);
}
