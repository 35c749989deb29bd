/* The flash map as a picture, fit for a work instruction. */

#include "flash_map.h"

#include "json.h"
#include "mustache.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph-host/units.h"
#include <json-glib/json-glib.h>

/* Sizes that flash_map.svg relies on. */
enum {
    WIDTH = 1120,
    MARGIN = 32,
    TITLE_HEIGHT = 64,
    STRIP_HEIGHT = 34,
    FIRST_ROW = TITLE_HEIGHT + STRIP_HEIGHT + 50,
    ROW_HEIGHT = 40,
    BAR_LEFT = 330,
    BAR_WIDTH = 430,
    BAR_HEIGHT = 20,
};

static const char *const fills[MAP_KINDS] = {
    [MAP_UNTOUCHED] = "#ece8de", [MAP_KEPT] = "#d9a441",   [MAP_BLANKED] = "#9fc3cc",
    [MAP_IMAGE] = "#22577a",     [MAP_AGREES] = "#5b8c5a", [MAP_DIFFERS] = "#b3261e",
};

/* A range of flash, drawn to scale. */
struct bar {
    double x, y, width, height;
    uint32_t offset, length;
};

static void add_place(JsonBuilder *data, const struct bar *place)
{
    json_add(data, json_format("x", "%.2f", place->x), json_format("y", "%.2f", place->y),
             json_format("width", "%.2f", place->width),
             json_format("height", "%.2f", place->height));
}

static void add_rectangle(JsonBuilder *data, struct bar place, enum map_kind kind)
{
    json_builder_begin_object(data);
    add_place(data, &place);
    json_add(data, json_text("fill", fills[kind]));
    json_builder_end_object(data);
}

/* The part of a span that lies within the bar; never too narrow to see. */
static void add_span(JsonBuilder *data, const struct bar *bar, const struct map_span *span)
{
    uint64_t start = MAX(span->offset, bar->offset);
    uint64_t end = MIN((uint64_t)span->offset + span->length, (uint64_t)bar->offset + bar->length);

    if (end <= start)
        return;
    double x = bar->x + bar->width * (double)(start - bar->offset) / bar->length;
    double width = bar->width * (double)(end - start) / bar->length;
    struct bar place = {.x = x, .y = bar->y, .width = MAX(width, 1.5), .height = bar->height};
    add_rectangle(data, place, span->kind);
}

static void add_bar(JsonBuilder *data, const char *name, const struct flash_map *map,
                    const struct bar *bar)
{
    json_begin_object(data, name);
    add_place(data, bar);
    json_begin_list(data, "spans");
    add_rectangle(data, *bar, MAP_UNTOUCHED);
    /* Kind by kind, so that the more important ones are on top. */
    for (int kind = MAP_KEPT; kind < MAP_KINDS; kind++) {
        for (guint i = 0; i < map->spans->len; i++) {
            const struct map_span *span = &g_array_index(map->spans, struct map_span, i);
            if ((int)span->kind == kind)
                add_span(data, bar, span);
        }
    }
    json_builder_end_array(data);
    json_builder_end_object(data);
}

/* All of the flash, with offsets below. */
static void add_strip(JsonBuilder *data, const struct flash_map *map)
{
    static const char *const classes[] = {"tick", "tick middle", "tick middle", "tick middle",
                                          "tick end"};
    struct bar bar = {.x = MARGIN,
                      .y = TITLE_HEIGHT,
                      .width = WIDTH - 2.0 * MARGIN,
                      .height = STRIP_HEIGHT,
                      .length = map->flash_size};

    add_bar(data, "strip", map, &bar);
    json_begin_list(data, "ticks");
    for (unsigned i = 0; i < G_N_ELEMENTS(classes); i++) {
        uint64_t offset = (uint64_t)map->flash_size * i / (G_N_ELEMENTS(classes) - 1);
        json_add_object(
            data, json_format("x", "%.1f", bar.x + bar.width * i / (G_N_ELEMENTS(classes) - 1)),
            json_text("class", classes[i]), json_format("offset", "0x%06X", (unsigned)offset));
    }
    json_builder_end_array(data);
}

static void add_row(JsonBuilder *data, const struct flash_map *map, const struct map_row *row,
                    double y)
{
    struct bar bar = {.x = BAR_LEFT,
                      .y = y,
                      .width = BAR_WIDTH,
                      .height = BAR_HEIGHT,
                      .offset = row->offset,
                      .length = row->length};
    g_autofree char *remark = flash_map_remark(map, row);

    json_builder_begin_object(data);
    json_add(data, json_format("offset", "0x%06X", (unsigned)row->offset),
             json_format("text_y", "%.1f", y + 15),
             json_text("class", row->name[0] ? "name" : "none"),
             json_text("name", row->name[0] ? row->name : "no region"),
             json_take("size", wry_units_bytes(row->length)),
             json_take("remark", app_printable(remark)));
    add_bar(data, "bar", map, &bar);
    json_builder_end_object(data);
}

static void add_legend(JsonBuilder *data, const struct flash_map *map, double y)
{
    double x = MARGIN;

    json_begin_list(data, "legend");
    for (enum map_kind kind = MAP_UNTOUCHED; kind < MAP_KINDS; kind++) {
        const char *meaning = flash_map_meaning(kind);
        if (!flash_map_uses(map, kind))
            continue;
        json_add_object(data, json_format("x", "%.2f", x), json_format("y", "%.2f", y),
                        json_text("fill", fills[kind]), json_format("text_x", "%.1f", x + 21),
                        json_format("text_y", "%.1f", y + 12), json_text("meaning", meaning));
        x += 50 + 7.2 * (double)g_utf8_strlen(meaning, -1);
    }
    json_builder_end_array(data);
}

gboolean flash_map_save_svg(const struct flash_map *map, const char *path, gboolean replace,
                            GError **error)
{
    g_autoptr(JsonBuilder) data = json_builder_new();
    g_autoptr(GString) svg = g_string_new(NULL);
    double y = FIRST_ROW;

    json_builder_begin_object(data);
    json_add(data, json_format("height", "%u", FIRST_ROW + map->rows->len * ROW_HEIGHT + 50),
             json_take("title", app_printable(map->title)));
    add_strip(data, map);
    json_begin_list(data, "rows");
    for (guint i = 0; i < map->rows->len; i++, y += ROW_HEIGHT)
        add_row(data, map, &g_array_index(map->rows, struct map_row, i), y);
    json_builder_end_array(data);
    add_legend(data, map, y + 8);
    json_builder_end_object(data);
    mustache_fill(svg, "flash_map.svg", data);
    return wry_atomic_file_save(path, svg->str, svg->len, replace, error);
}
