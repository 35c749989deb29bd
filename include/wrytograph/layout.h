/*
 * Layouts: the regions of one chip and flash size.
 *
 * A layout is built in for each chip, read from a board's region table, or made by the caller. It
 * resolves region names to offsets, so the same words work for boards of different flash size.
 *
 *     struct wry_region_table layout;
 *     const struct wry_region *app;
 *     if (wry_layout_built_in(&layout, chip, flash_size) &&
 *         (app = wry_layout_find(&layout, "app")) != NULL)
 *         place_at(app->offset);
 */
#ifndef WRYTOGRAPH_LAYOUT_H
#define WRYTOGRAPH_LAYOUT_H

#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/chip.h"
#include "wrytograph/region.h"

#ifdef __cplusplus
extern "C" {
#endif

enum wry_layout_problem {
    WRY_LAYOUT_FINE = 0,
    WRY_LAYOUT_EMPTY,
    WRY_LAYOUT_UNALIGNED, /* offset or length is no multiple of a sector, or the length is 0 */
    WRY_LAYOUT_BEYOND,    /* a region ends beyond the flash */
    WRY_LAYOUT_OVERLAP,   /* two regions share bytes */
    WRY_LAYOUT_REPEATED,  /* two regions have one name */
    WRY_LAYOUT_BAD_NAME,  /* a name that reads as something else, or is none at all */
};

/* The layout a chip is delivered with; false when that flash size is not fitted. */
bool wry_layout_built_in(struct wry_region_table *layout, const struct wry_chip *chip,
                         uint32_t flash_size);

/*
 * What is wrong with a layout for a flash of that size, if anything. *which is the index of the
 * region concerned, *other that of the second one for overlaps and repeated names.
 */
enum wry_layout_problem wry_layout_check(const struct wry_region_table *layout, uint32_t flash_size,
                                         uint32_t *which, uint32_t *other);

/* The region of that name, or NULL. */
const struct wry_region *wry_layout_find(const struct wry_region_table *layout, const char *name);

/* The region that holds this offset, or NULL. */
const struct wry_region *wry_layout_at(const struct wry_region_table *layout, uint32_t offset);

#ifdef __cplusplus
}
#endif

#endif
