/* Regions and parts of the flash. */
#pragma once

#include "station_problem.h"

/* The flash that a job is planned for: the board's, or a described one. */
struct target {
    const struct wry_chip *chip; /* NULL if unknown */
    uint16_t chip_code;          /* known even then */
    uint32_t flash_size;         /* bytes */
    bool on_link;
    struct wry_layout layout;
};

/*
 * The flash of the connected board with its layout: from the station's layout file, else from the
 * region table in the flash, else the chip's usual one.
 */
struct wry_problem *regions_of_board(struct wry_station *station, struct target *target);

/* The same for a described flash: chip and size are filled in, the layout is not. */
struct wry_problem *regions_of_target(struct wry_station *station, struct target *target);

/* The region with this name. On failure *region is NULL and the problem lists the names. */
struct wry_problem *regions_find(const struct target *target, const char *name,
                                 const struct wry_region **region);

/* Parses "all", a region's name, or OFFSET+LENGTH. */
struct wry_problem *regions_parse_part(const struct target *target, const char *text,
                                       uint32_t *offset, uint32_t *length);
