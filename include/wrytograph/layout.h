/*
 * Layouts: the regions of the flash for one chip and flash size.
 *
 * A layout is built in for each chip, read from the region table of a board, or made by the caller.
 * It maps region names to offsets, so the same command works for boards with different flash sizes.
 *
 *     struct wry_region_table layout;
 *     const struct wry_region *app;
 *
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
    WRY_LAYOUT_BAD_NAME,  /* a name that is empty, invalid, or reads as something else */
};

/* The layout that boards with this chip and flash size usually have. False if no board has that
 * flash size. */
bool wry_layout_built_in(struct wry_region_table *layout, const struct wry_chip *chip,
                         uint32_t flash_size);

/*
 * The first fault of a layout for a flash of that size. *which is the index of the region at fault,
 * *other that of the second one for overlaps and repeated names.
 */
enum wry_layout_problem wry_layout_check(const struct wry_region_table *layout, uint32_t flash_size,
                                         uint32_t *which, uint32_t *other);

/* The region with this name, or NULL. */
const struct wry_region *wry_layout_find(const struct wry_region_table *layout, const char *name);

/* The region that contains this offset, or NULL. */
const struct wry_region *wry_layout_at(const struct wry_region_table *layout, uint32_t offset);

#ifdef __cplusplus
}
#endif

#endif
