/* Labels. */
#include "label.h"

#include <json-glib/json-glib.h>

#include "json.h"
#include "label_code.h"
#include "mustache.h"
#include "times.h"
#include "words.h"

enum {
    TEXT_MOST = 26,  /* characters that fit on a line */
    NAME_SIZE = 27,  /* units: the letters of a name */
    NAME_USUAL = 16, /* characters of that size that fit; the letters of longer names are smaller */
    NAME_LONGEST = 24 /* and longer ones are cut */
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

/* Text of at most as many characters as fit; the rest is replaced by "…". Free with g_free. */
static char *cut(const char *text, glong most)
{
    g_autofree char *part = NULL;

    if (!text || g_utf8_strlen(text, -1) <= most)
        return g_strdup(text);
    part = g_utf8_substring(text, 0, most - 1);
    return g_strconcat(part, "…", NULL);
}

char *label_svg(const struct wry_ledger_run *run, const char *template, GError **error)
{
    g_autoptr(JsonBuilder) data = json_builder_new();
    g_autofree char *card = words_card(run->card, run->card_version);
    g_autofree char *first = NULL, *second = NULL, *code = label_code(run->board);
    g_autofree char *row =
        run->lot_row > 0 ? g_strdup_printf("%" G_GINT64_FORMAT, run->lot_row) : NULL;
    g_autofree char *name = cut(run->name, NAME_LONGEST);
    glong length = name ? g_utf8_strlen(name, -1) : 0;
    g_autofree char *size =
        g_strdup_printf("%ld", length > NAME_USUAL ? NAME_SIZE * NAME_USUAL / length : NAME_SIZE);
    GString *svg = g_string_new(NULL);

    break_text(card ? card : run->kind, &first, &second);
    json_add_object(data, json_text("board", run->board), json_text("code", code),
                    json_text("first", first), json_text("second", second), json_text("name", name),
                    json_text("name_size", size), json_text("whole_name", run->name),
                    json_text("row", row), json_text("lot", run->lot),
                    json_take("firmware", cut(run->firmware, TEXT_MOST)),
                    json_text("whole_firmware", run->firmware), json_text("card", run->card),
                    json_text("version", run->card_version), json_text("chip", run->chip),
                    json_text("operator", run->operator_),
                    json_take("day", times_day(run->ended ? run->ended : run->began)));
    if (!template)
        mustache_fill(svg, "label.svg", data);
    else if (!mustache_fill_text(svg, template, data, error))
        return g_string_free(svg, TRUE);
    return g_string_free(svg, FALSE);
}
