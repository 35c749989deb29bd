/* Region names and parts, as the flash at hand has them. */
#ifndef WRY_JOBS_REGIONS_H
#define WRY_JOBS_REGIONS_H

#include "station_problem.h"

/* The flash that work is planned for: that of the board, or one that is described. */
struct target {
    const struct wry_chip *chip; /* NULL when unknown */
    uint32_t flash_size;         /* bytes */
    bool on_link;
    struct wry_layout layout;
};

/*
 * The board's flash, with its layout: from the station's layout file, else from the region table in
 * the flash, else the one the chip is delivered with. The station is connected.
 */
struct wry_problem *regions_of_board(struct wry_station *station, struct target *target);

/* The same for a flash that is described: chip and size are filled in, the layout is not. */
struct wry_problem *regions_of_target(struct wry_station *station, struct target *target);

/* The region of that name. A failure lists the names there are; *region is NULL then. */
struct wry_problem *regions_find(const struct target *target, const char *name,
                                 const struct wry_region **region);

/* "all", a region's name, or OFFSET+LENGTH. */
struct wry_problem *regions_parse_part(const struct target *target, const char *text,
                                       uint32_t *offset, uint32_t *length);

#endif
