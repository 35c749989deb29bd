/* Labels. */
#include "label.h"

#include "json.h"
#include "label_code.h"
#include "mustache.h"

enum {
    TEXT_MOST = 22, /* characters that fit on a line */
};

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
    g_autofree char *first = NULL, *second = NULL, *code = label_code(run->board);

    break_text(run->card ? run->card : run->kind, &first, &second);
    json_add_object(data, json_text("board", run->board), json_text("code", code),
                    json_text("first", first), json_text("second", second),
                    json_format("version", "%s%s", has_version ? "version " : "",
                                has_version ? run->card_version : ""),
                    json_format("day", "%.10s", run->ended ? run->ended : run->began));
    mustache_fill(svg, "label.svg", data);
    return g_string_free(svg, FALSE);
}
