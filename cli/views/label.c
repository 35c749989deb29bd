/* Labels. */
#include "label.h"

#include <qrencode.h>

#include "json.h"
#include "mustache.h"

enum {
    CODE = 180,     /* side of the code, in tenths of a millimetre */
    QUIET = 20,     /* white around it; the standard asks for four modules */
    TEXT_MOST = 22, /* characters that fit on a line */
};

/* The path that fills the dark modules; "" if there is no memory for it. Free with g_free. */
static char *code_path(const char *text)
{
    QRcode *code = QRcode_encodeString(text, 0, QR_ECLEVEL_M, QR_MODE_8, 1);
    GString *path = g_string_new(NULL);
    int width = code ? code->width : 0;

    for (int i = 0; i < width * width; i++) {
        double module = (double)CODE / width;
        int row = i / width, column = i % width;
        if (code->data[i] & 1)
            g_string_append_printf(path, "M%.2f %.2fh%.2fv%.2fh-%.2fz", QUIET + column * module,
                                   QUIET + row * module, module, module, module);
    }
    QRcode_free(code);
    return g_string_free(path, FALSE);
}

/* Splits text into two lines between words; the rest is dropped. */
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
    bool has_version = run->card_version && run->card_version[0];
    g_autoptr(JsonBuilder) data = json_builder_new();
    GString *svg = g_string_new(NULL);
    g_autofree char *first = NULL, *second = NULL, *code = code_path(run->board);

    break_text(run->card ? run->card : run->kind, &first, &second);
    json_add_object(data, json_text("board", run->board), json_text("code", code),
                    json_text("first", first), json_text("second", second),
                    json_format("version", "%s%s", has_version ? "version " : "",
                                has_version ? run->card_version : ""),
                    json_format("day", "%.10s", run->ended ? run->ended : run->began));
    mustache_fill(svg, "label.svg", data);
    return g_string_free(svg, FALSE);
}
