/*
 * The flash map: regions, images, kept neighbours and differences, drawn in the terminal or as SVG.
 *
 *     struct flash_map *map = flash_map_new("Plan for …", flash_size, &layout);
 *     flash_map_add(map, MAP_IMAGE, offset, length, "gauge.bin");
 *     flash_map_print(map, app);
 *     flash_map_free(map);
 */
#pragma once

#include "app/app.h"
#include "wrytograph-host/planned.h"

/* What a range of flash is; the later one wins if a cell of the drawing has several. */
enum map_kind {
    MAP_UNTOUCHED,
    MAP_KEPT,    /* shares a sector with new content and is preserved */
    MAP_BLANKED, /* the rest of a region, erased */
    MAP_IMAGE,
    MAP_AGREES,
    MAP_DIFFERS,
    MAP_KINDS,
};

struct map_span {
    enum map_kind kind;
    uint32_t offset, length;
    char *label; /* NULL: none */
};

/* A region, or a range between regions (name ""). */
struct map_row {
    char name[WRY_REGION_NAME_SIZE + 1];
    uint32_t offset, length;
};

struct flash_map {
    char *title;
    uint32_t flash_size;
    GArray *rows;  /* struct map_row, from offset 0 to the end of the flash */
    GArray *spans; /* struct map_span */
};

struct flash_map *flash_map_new(const char *title, uint32_t flash_size,
                                const struct wry_region_table *layout);
void flash_map_free(struct flash_map *map);

void flash_map_add(struct flash_map *map, enum map_kind kind, uint32_t offset, uint32_t length,
                   const char *label);

/* Adds the plan's images and preserved neighbours. */
void flash_map_add_plan(struct flash_map *map, const struct wry_plan *plan);

/* The winning kind of a range. */
enum map_kind flash_map_kind_at(const struct flash_map *map, uint32_t offset, uint32_t length);

/* The name of a kind in a legend, and whether the map has it. */
const char *flash_map_meaning(enum map_kind kind);
bool flash_map_uses(const struct flash_map *map, enum map_kind kind);

/* Bytes of one kind within a row, and the labels of its spans there ("a.bin, b.bin"; free with
 * g_free). */
uint32_t flash_map_bytes(const struct flash_map *map, const struct map_row *row,
                         enum map_kind kind);
char *flash_map_labels(const struct flash_map *map, const struct map_row *row);

/* "20.6 KiB of 40 KiB" and the like, for a row; free with g_free. */
char *flash_map_remark(const struct flash_map *map, const struct map_row *row);

/* Draws it in the terminal's width, in ASCII if the terminal is not UTF-8. */
void flash_map_print(const struct flash_map *map, const struct app *app);

/* Saves it as a picture; false if the file cannot be written, or exists and replace is false. */
gboolean flash_map_save_svg(const struct flash_map *map, const char *path, gboolean replace,
                            GError **error);
