/*
 * The flash map: regions, images, kept neighbours and differences, drawn in the terminal or as SVG.
 *
 *     struct flash_map *map = flash_map_new("Plan for …", flash_size, &layout);
 *     flash_map_add(map, MAP_IMAGE, offset, length, "gauge.bin");
 *     flash_map_print(map, app);
 *     flash_map_free(map);
 */
#ifndef WRY_CLI_FLASH_MAP_H
#define WRY_CLI_FLASH_MAP_H

#include "app/app.h"
#include "wrytograph-host/planned.h"

/* What a stretch of flash is; a later one wins where a cell of the drawing holds several. */
enum map_kind {
    MAP_UNTOUCHED,
    MAP_KEPT,    /* shares a sector with what is written, and stays as it is */
    MAP_BLANKED, /* what is behind new content */
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

/* A region, or a stretch between regions (name ""). */
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

/* The plan's images and the neighbours it keeps. */
void flash_map_add_plan(struct flash_map *map, const struct wry_plan *plan);

/* What fills most of interest of a stretch: the winning kind. */
enum map_kind flash_map_kind_at(const struct flash_map *map, uint32_t offset, uint32_t length);

/* What a kind is called in a legend, and whether the map has any of it. */
const char *flash_map_meaning(enum map_kind kind);
bool flash_map_uses(const struct flash_map *map, enum map_kind kind);

/* Bytes of one kind within a row, and the labels of its spans there ("a.bin, b.bin"; g_free). */
uint32_t flash_map_bytes(const struct flash_map *map, const struct map_row *row,
                         enum map_kind kind);
char *flash_map_labels(const struct flash_map *map, const struct map_row *row);

/* "20.6 KiB of 40 KiB" and the like, for a row; free with g_free. */
char *flash_map_remark(const struct flash_map *map, const struct map_row *row);

/* In the terminal, to its width; plain ASCII when it is not UTF-8. */
void flash_map_print(const struct flash_map *map, const struct app *app);

/* As a picture; false when the file cannot be written, or is there already and not to be replaced.
 */
gboolean flash_map_save_svg(const struct flash_map *map, const char *path, gboolean replace,
                            GError **error);

#endif
