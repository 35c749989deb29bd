/* Where content and flash differ: gathered, printed, drawn. */
#ifndef WRY_CLI_DIFFERENCES_H
#define WRY_CLI_DIFFERENCES_H

#include "app.h"
#include "flash_map.h"

/* A stretch whose bytes all differ, and its first byte on either side. */
struct difference {
    uint32_t offset, length;
    uint8_t expected, found;
};

/*
 * Compares content with the flash; all differences are added to the array (struct difference),
 * sorted. WRY_DIFFERS is not an error here: the array tells.
 */
enum wry_status differences_find(struct app *app, const struct wry_placement *placement,
                                 enum wry_verify_method method, GArray *differences);

/* A line for each place; content_offset is what is taken off for the offset in the content. */
void differences_print(struct app *app, const GArray *differences, uint32_t content_offset,
                       const char *content);

void differences_add_json(struct app *app, const GArray *differences);

void differences_add_to_map(struct flash_map *map, const GArray *differences, const char *label);

#endif
