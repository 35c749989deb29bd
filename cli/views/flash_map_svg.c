/* The flash map as a picture, fit for a work instruction. */
#include <stdio.h>

#include "flash_map.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph-host/units.h"

enum {
    WIDTH = 1120,
    MARGIN = 32,
    TITLE_HEIGHT = 64,
    STRIP_HEIGHT = 34,
    ROW_HEIGHT = 40,
    BAR_LEFT = 330,
    BAR_WIDTH = 430,
    BAR_HEIGHT = 20,
    REMARK_LEFT = BAR_LEFT + BAR_WIDTH + 18,
};

static const char *const fills[MAP_KINDS] = {
    [MAP_UNTOUCHED] = "#ece8de", [MAP_KEPT] = "#d9a441",   [MAP_BLANKED] = "#9fc3cc",
    [MAP_IMAGE] = "#22577a",     [MAP_AGREES] = "#5b8c5a", [MAP_DIFFERS] = "#b3261e",
};
struct bar {
    double x, y, width, height;
    uint32_t offset, length;
};

static void text(GString *svg, double x, double y, const char *style, const char *words)
{
    g_autofree char *clean = app_printable(words);
    g_autofree char *escaped = g_markup_escape_text(clean, -1);

    g_string_append_printf(svg, "<text x=\"%.1f\" y=\"%.1f\" class=\"%s\">%s</text>\n", x, y, style,
                           escaped);
}

static void rectangle(GString *svg, struct bar place, const char *fill)
{
    g_string_append_printf(
        svg, "<rect x=\"%.2f\" y=\"%.2f\" width=\"%.2f\" height=\"%.2f\" fill=\"%s\"/>\n", place.x,
        place.y, place.width, place.height, fill);
}

/* A thing too small to see gets a hair's breadth. */
static void draw_span(GString *svg, const struct bar *bar, const struct map_span *span)
{
    uint64_t start = MAX(span->offset, bar->offset);
    uint64_t end = MIN((uint64_t)span->offset + span->length, (uint64_t)bar->offset + bar->length);

    if (end <= start)
        return;
    double x = bar->x + bar->width * (double)(start - bar->offset) / bar->length;
    double width = bar->width * (double)(end - start) / bar->length;
    struct bar place = {.x = x, .y = bar->y, .width = MAX(width, 1.5), .height = bar->height};
    rectangle(svg, place, fills[span->kind]);
}

static void draw_bar(GString *svg, const struct flash_map *map, const struct bar *bar)
{
    rectangle(svg, *bar, fills[MAP_UNTOUCHED]);
    for (int kind = MAP_KEPT; kind < MAP_KINDS; kind++) {
        for (guint i = 0; i < map->spans->len; i++) {
            const struct map_span *span = &g_array_index(map->spans, struct map_span, i);
            if ((int)span->kind == kind)
                draw_span(svg, bar, span);
        }
    }
    g_string_append_printf(svg,
                           "<rect x=\"%.2f\" y=\"%.2f\" width=\"%.2f\" height=\"%.2f\" "
                           "fill=\"none\" stroke=\"#5b5648\" stroke-width=\"0.8\"/>\n",
                           bar->x, bar->y, bar->width, bar->height);
}

static void draw_strip(GString *svg, const struct flash_map *map, double y)
{
    struct bar bar = {.x = MARGIN,
                      .y = y,
                      .width = WIDTH - 2.0 * MARGIN,
                      .height = STRIP_HEIGHT,
                      .length = map->flash_size};

    draw_bar(svg, map, &bar);
    for (unsigned i = 0; i <= 4; i++) {
        uint32_t offset = (uint32_t)((uint64_t)map->flash_size * i / 4);
        g_autofree char *label = g_strdup_printf("0x%06X", (unsigned)offset);
        text(svg, bar.x + bar.width * i / 4, y + STRIP_HEIGHT + 17,
             i == 0   ? "tick"
             : i == 4 ? "tick end"
                      : "tick middle",
             label);
    }
}

static void draw_row(GString *svg, const struct flash_map *map, const struct map_row *row, double y)
{
    struct bar bar = {.x = BAR_LEFT,
                      .y = y,
                      .width = BAR_WIDTH,
                      .height = BAR_HEIGHT,
                      .offset = row->offset,
                      .length = row->length};
    g_autofree char *offset = g_strdup_printf("0x%06X", (unsigned)row->offset);
    g_autofree char *size = wry_units_bytes(row->length);
    g_autofree char *remark = flash_map_remark(map, row);

    text(svg, MARGIN, y + 15, "offset", offset);
    text(svg, MARGIN + 90, y + 15, row->name[0] ? "name" : "none",
         row->name[0] ? row->name : "no region");
    text(svg, BAR_LEFT - 14, y + 15, "size end", size);
    draw_bar(svg, map, &bar);
    text(svg, REMARK_LEFT, y + 15, "size", remark);
}

static void draw_legend(GString *svg, const struct flash_map *map, double y)
{
    double x = MARGIN;

    for (enum map_kind kind = MAP_UNTOUCHED; kind < MAP_KINDS; kind++) {
        const char *meaning = flash_map_meaning(kind);
        if (!flash_map_uses(map, kind))
            continue;
        rectangle(svg, (struct bar){.x = x, .y = y, .width = 14, .height = 14}, fills[kind]);
        text(svg, x + 21, y + 12, "size", meaning);
        x += 50 + 7.2 * (double)g_utf8_strlen(meaning, -1);
    }
}

gboolean flash_map_save_svg(const struct flash_map *map, const char *path, gboolean replace,
                            GError **error)
{
    g_autoptr(GString) svg = g_string_new(NULL);
    double y = TITLE_HEIGHT;
    double rows = (double)map->rows->len * ROW_HEIGHT;
    double height = y + STRIP_HEIGHT + 50 + rows + 50;

    g_string_append_printf(
        svg,
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"%d\" height=\"%.0f\" "
        "viewBox=\"0 0 %d %.0f\">\n"
        "<style>text{font-family:'DejaVu Sans',Arial,sans-serif;font-size:14px;fill:#26231c}"
        ".title{font-size:19px;font-weight:bold}.name{font-weight:bold}"
        ".none{fill:#8a8472}.offset,.tick{font-family:'DejaVu Sans Mono',monospace}"
        ".tick{font-size:12px;fill:#5b5648}.end{text-anchor:end}.middle{text-anchor:middle}"
        "</style>\n<rect width=\"100%%\" height=\"100%%\" fill=\"#fdfcf9\"/>\n",
        WIDTH, height, WIDTH, height);
    text(svg, MARGIN, 38, "title", map->title);
    draw_strip(svg, map, y);
    y += STRIP_HEIGHT + 50;
    for (guint i = 0; i < map->rows->len; i++, y += ROW_HEIGHT)
        draw_row(svg, map, &g_array_index(map->rows, struct map_row, i), y);
    draw_legend(svg, map, y + 8);
    g_string_append(svg, "</svg>\n");
    return wry_atomic_file_save(path, svg->str, svg->len, replace, error);
}
