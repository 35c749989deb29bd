/* Adapter and board, drawn. */
#include "wiring_drawing.h"

#include <langinfo.h>
#include <string.h>

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
    char *remarks[2]; /* of reset and strap */
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
    app_print(app, "%s", text->str);
}

static void print_wire(const struct app *app, const struct glyphs *g, const struct wire *wire)
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
    g_string_append_printf(text, "%s %-15s%s  %s", button ? g->side : g->right_tee, wire->to,
                           g->side, wire->remark);
    app_print(app, "%s", text->str);
}

static void print_text(const struct app *app, const struct glyphs *g, const char *left,
                       const char *right, const char *remark)
{
    app_print(app, "  %s %-15s%s%22s%s %-15s%s%s%s", g->side, left, g->side, "", g->side, right,
              g->side, remark[0] ? "  " : "", remark);
}

void wiring_drawing_print(const struct app *app, const struct wry_chip *chip,
                          const struct wry_wiring *wiring)
{
    const struct glyphs *g = strcmp(nl_langinfo(CODESET), "UTF-8") == 0 ? &drawn : &plain;
    struct drawing d = make(chip, wiring);

    print_edges(app, g, true);
    print_text(app, g, "USB adapter", d.board, "");
    print_text(app, g, adapter_note, "", "");
    for (size_t i = 0; i < WIRES; i++)
        print_wire(app, g, &d.wires[i]);
    print_text(app, g, "", "3.3 V", supply);
    print_edges(app, g, false);
    app_print(app, "Wiring %s: %s.", wiring->name, wiring->words);
    finish(&d);
}

/* The picture. */

enum {
    WIDTH = 1100,
    HEIGHT = 470,
    BOX_TOP = 90,
    BOX_HEIGHT = 320,
    BOX_WIDTH = 190,
    LEFT = 50,
    RIGHT = 480,
    FIRST_WIRE = 180,
    WIRE_STEP = 42,
};

static void draw_text(GString *svg, int x, int y, const char *class, const char *text)
{
    g_autofree char *escaped = g_markup_escape_text(text, -1);

    g_string_append_printf(svg, "<text x=\"%d\" y=\"%d\" class=\"%s\">%s</text>\n", x, y, class,
                           escaped);
}

static void draw_box(GString *svg, int x, const char *title)
{
    g_string_append_printf(svg,
                           "<rect x=\"%d\" y=\"%d\" width=\"%d\" height=\"%d\" rx=\"8\" "
                           "fill=\"#ece8de\" stroke=\"#5b5648\"/>\n",
                           x, BOX_TOP, BOX_WIDTH, BOX_HEIGHT);
    draw_text(svg, x + BOX_WIDTH / 2, BOX_TOP + 32, "name middle", title);
}

static void draw_arrow(GString *svg, int x, int y, int direction, const char *color)
{
    g_string_append_printf(svg, "<path d=\"M%d %d l%d -7 v14 z\" fill=\"%s\"/>\n", x, y,
                           -12 * direction, color);
}

static void draw_wire(GString *svg, const struct wire *wire, int y)
{
    int from = LEFT + BOX_WIDTH, to = RIGHT;

    draw_text(svg, RIGHT + 14, y + 5, "pin", wire->to);
    draw_text(svg, RIGHT + BOX_WIDTH + 24, y + 5, "remark", wire->remark);
    if (wire->way == BUTTON) {
        g_string_append_printf(svg,
                               "<path d=\"M%d %d h-40 m-24 0 h-30 v14 m-12 0 h24 m-19 5 h14 m-9 5 "
                               "h4 M%d %d l24 -12\" fill=\"none\" stroke=\"%s\" "
                               "stroke-width=\"3\"/>\n",
                               to, y, to - 64, y, wire->color);
        return;
    }
    draw_text(svg, from - 14, y + 5, "pin end", wire->from);
    g_string_append_printf(svg, "<path d=\"M%d %d H%d\" stroke=\"%s\" stroke-width=\"3\"/>\n", from,
                           y, to, wire->color);
    if (wire->way == TO_BOARD)
        draw_arrow(svg, to, y, 1, wire->color);
    else if (wire->way == TO_ADAPTER)
        draw_arrow(svg, from, y, -1, wire->color);
}

static GString *draw(const struct drawing *d, const struct wry_wiring *wiring)
{
    GString *svg = g_string_new(NULL);
    g_autofree char *title = g_strdup_printf("%s at a 3.3 V USB-serial adapter", d->board);

    g_string_append_printf(
        svg,
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"%d\" height=\"%d\" "
        "viewBox=\"0 0 %d %d\">\n"
        "<style>text{font-family:'DejaVu Sans',Arial,sans-serif;font-size:15px;fill:#26231c}"
        ".title{font-size:20px;font-weight:bold}.name{font-weight:bold;font-size:17px}"
        ".pin{font-family:'DejaVu Sans Mono',monospace;font-weight:bold}.remark{fill:#5b5648}"
        ".end{text-anchor:end}.middle{text-anchor:middle}"
        "</style>\n<rect width=\"100%%\" height=\"100%%\" fill=\"#fdfcf9\"/>\n",
        WIDTH, HEIGHT, WIDTH, HEIGHT);
    draw_text(svg, LEFT, 48, "title", title);
    draw_box(svg, LEFT, "USB adapter");
    draw_box(svg, RIGHT, d->board);
    draw_text(svg, LEFT + BOX_WIDTH / 2, BOX_TOP + 56, "remark middle", adapter_note);
    for (int i = 0; i < WIRES; i++)
        draw_wire(svg, &d->wires[i], FIRST_WIRE + i * WIRE_STEP);
    draw_text(svg, RIGHT + 14, FIRST_WIRE + WIRES * WIRE_STEP + 5, "pin", "3.3 V");
    draw_text(svg, RIGHT + BOX_WIDTH + 24, FIRST_WIRE + WIRES * WIRE_STEP + 5, "remark", supply);
    draw_text(svg, LEFT, HEIGHT - 24, "remark", wiring->words);
    g_string_append(svg, "</svg>\n");
    return svg;
}

gboolean wiring_drawing_save_svg(const struct wry_chip *chip, const struct wry_wiring *wiring,
                                 const char *path, gboolean replace, GError **error)
{
    struct drawing d = make(chip, wiring);
    g_autoptr(GString) svg = draw(&d, wiring);

    finish(&d);
    return wry_atomic_file_save(path, svg->str, svg->len, replace, error);
}
