/* Drawings of adapter and board. */
#include "wiring_drawing.h"

#include <json-glib/json-glib.h>
#include <langinfo.h>
#include <string.h>

#include "json.h"
#include "mustache.h"
#include "wrytograph-host/atomic_file.h"

enum {
    WIRES = 5,
    PIN_WIDTH = 8,
};

struct wire {
    const char *from, *to;
    const char *remark;
    const char *color;
    enum { TO_BOARD, TO_ADAPTER, BOTH, BUTTON } way;
};

struct drawing {
    const char *board, *strap;
    struct wire wires[WIRES];
    char *remarks[2]; /* remarks for reset and strap */
};

static const char supply[] = "3.3 V from its own supply (500 mA), never 5 V";
static const char adapter_note[] = "set to 3.3 V";

static struct drawing make(const struct wry_chip *chip, const struct wry_wiring *wiring)
{
    struct drawing d = {.board = chip ? chip->title : "board",
                        .strap = chip ? chip->strap : "BOOT"};
    const char *reset = wiring->reset_is_rts ? "RTS" : "DTR";
    const char *boot = wiring->reset_is_rts ? "DTR" : "RTS";

    d.wires[0] =
        (struct wire){"GND", "GND", "always first: without it nothing else works", "#26231c", BOTH};
    d.wires[1] = (struct wire){"TX", "RX", "crossed", "#22577a", TO_BOARD};
    d.wires[2] = (struct wire){"RX", "TX", "crossed", "#5b8c5a", TO_ADAPTER};
    if (wiring->none) {
        d.remarks[0] = g_strdup("a button to ground: tap it");
        d.remarks[1] = g_strdup("a button to ground: hold it while RESET is tapped");
        d.wires[3] = (struct wire){"", "RESET", d.remarks[0], "#b3261e", BUTTON};
        d.wires[4] = (struct wire){"", d.strap, d.remarks[1], "#d9a441", BUTTON};
        return d;
    }
    const char *by = "; through an inverter";
    g_autofree char *alone = g_strdup_printf(" while %s is off", boot);
    g_autofree char *after = g_strdup_printf(" while %s is off", reset);
    d.remarks[0] = g_strdup_printf("low%s: held in reset%s", wiring->cross_coupled ? alone : "",
                                   wiring->reset_inverted ? by : "");
    d.remarks[1] = wiring->cross_coupled
                       ? g_strdup_printf("strap, low%s: loading mode", after)
                       : g_strdup_printf("strap, low through reset: loading mode%s",
                                         wiring->boot_inverted ? by : "");
    d.wires[3] = (struct wire){reset, "RESET", d.remarks[0], "#b3261e", TO_BOARD};
    d.wires[4] = (struct wire){boot, d.strap, d.remarks[1], "#d9a441", TO_BOARD};
    return d;
}

static void finish(struct drawing *d)
{
    g_free(d->remarks[0]);
    g_free(d->remarks[1]);
}

enum {
    WIDE = 110, /* columns for the drawing with its remarks */
};

struct glyphs {
    const char *corners[4], *line, *side, *left_tee, *right_tee, *to_right, *to_left;
};

static const struct glyphs drawn = {{"┌", "┐", "└", "┘"}, "─", "│", "├", "┤", "▶", "◀"};
static const struct glyphs plain = {{"+", "+", "+", "+"}, "-", "|", "|", "|", ">", "<"};

static void repeat(GString *text, const char *glyph, int n)
{
    for (int i = 0; i < n; i++)
        g_string_append(text, glyph);
}

static void print_edges(const struct app *app, const struct glyphs *g, bool top)
{
    g_autoptr(GString) text = g_string_new("  ");

    g_string_append(text, g->corners[top ? 0 : 2]);
    repeat(text, g->line, 16);
    g_string_append(text, g->corners[top ? 1 : 3]);
    repeat(text, " ", 22);
    g_string_append(text, g->corners[top ? 0 : 2]);
    repeat(text, g->line, 16);
    g_string_append(text, g->corners[top ? 1 : 3]);
    app_print_exactly(app, "%s", text->str);
}

static void print_wire(const struct app *app, const struct glyphs *g, const struct wire *wire,
                       bool remarked)
{
    g_autoptr(GString) text = g_string_new("  ");
    bool button = wire->way == BUTTON;

    g_string_append_printf(text, "%s%15s ", g->side, wire->from);
    g_string_append(text, button ? g->side : g->left_tee);
    if (wire->way == TO_ADAPTER)
        g_string_append(text, g->to_left);
    repeat(text, button ? " " : g->line, 22 - (wire->way == TO_ADAPTER) - (wire->way == TO_BOARD));
    if (wire->way == TO_BOARD)
        g_string_append(text, g->to_right);
    g_string_append_printf(text, "%s %-15s%s%s%s", button ? g->side : g->right_tee, wire->to,
                           g->side, remarked ? "  " : "", remarked ? wire->remark : "");
    app_print_exactly(app, "%s", text->str);
}

static void print_text(const struct app *app, const struct glyphs *g, const char *left,
                       const char *right, const char *remark)
{
    app_print_exactly(app, "  %s %-15s%s%22s%s %-15s%s%s%s", g->side, left, g->side, "", g->side,
                      right, g->side, remark[0] ? "  " : "", remark);
}

void wiring_drawing_print(const struct app *app, const struct wry_chip *chip,
                          const struct wry_wiring *wiring)
{
    const struct glyphs *g = strcmp(nl_langinfo(CODESET), "UTF-8") == 0 ? &drawn : &plain;
    struct drawing d = make(chip, wiring);
    unsigned columns = app_columns();
    /* On a narrow terminal the remarks are below the drawing. */
    bool remarked = columns == 0 || columns >= WIDE;

    print_edges(app, g, true);
    print_text(app, g, "USB adapter", d.board, "");
    print_text(app, g, adapter_note, "", "");
    for (size_t i = 0; i < WIRES; i++)
        print_wire(app, g, &d.wires[i], remarked);
    print_text(app, g, "", "3.3 V", remarked ? supply : "");
    print_edges(app, g, false);
    for (size_t i = 0; i < WIRES && !remarked; i++)
        app_print(app, "%s to %s: %s.", d.wires[i].from, d.wires[i].to, d.wires[i].remark);
    if (!remarked)
        app_print(app, "3.3 V: %s.", supply);
    app_print(app, "Wiring %s: %s.", wiring->name, wiring->words);
    finish(&d);
}

/* The picture. */

enum {
    FIRST_WIRE = 180, /* position of the first wire */
    WIRE_STEP = 42,
};

static void add_wire(JsonBuilder *data, const struct wire *wire, int y)
{
    json_add_object(data, json_text("from", wire->from), json_text("to", wire->to),
                    json_text("remark", wire->remark), json_text("color", wire->color),
                    json_format("y", "%d", y), json_format("text_y", "%d", y + 5),
                    json_flag("button", wire->way == BUTTON),
                    json_flag("to_board", wire->way == TO_BOARD),
                    json_flag("to_adapter", wire->way == TO_ADAPTER));
}

gboolean wiring_drawing_save_svg(const struct wry_chip *chip, const struct wry_wiring *wiring,
                                 const char *path, gboolean replace, GError **error)
{
    struct drawing d = make(chip, wiring);
    g_autoptr(JsonBuilder) data = json_builder_new();
    g_autoptr(GString) svg = g_string_new(NULL);

    json_builder_begin_object(data);
    json_add(data, json_text("board", d.board), json_text("adapter_note", adapter_note),
             json_text("supply", supply), json_text("words", wiring->words));
    json_begin_list(data, "wires");
    for (int i = 0; i < WIRES; i++)
        add_wire(data, &d.wires[i], FIRST_WIRE + i * WIRE_STEP);
    json_builder_end_array(data);
    json_builder_end_object(data);
    finish(&d);
    mustache_fill(svg, "wiring.svg", data);
    return wry_atomic_file_save(path, svg->str, svg->len, replace, error);
}
