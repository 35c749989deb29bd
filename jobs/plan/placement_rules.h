/* The rules for places of images: by region name, by offset, or by what the header says; and the
 * doubts about a place. */
#pragma once

#include "jobs/station/regions.h"
#include "placed_image.h"

/* Resolves places: raw content goes to the start of the named region; addresses in files are kept.
 * Without a place, raw content goes to the only region that its header fits. */
struct wry_problem *placement_resolve(const struct target *target, struct image *image);

/* The region of an image: the named one, or one that begins at its offset if the layout is certain.
 * NULL if there is none. */
const struct wry_region *placement_region(const struct target *target, const struct image *image);

/* False for the usual layout of a chip, which is a guess and no reason to refuse. */
bool placement_are_firm(const struct target *target);

bool placement_is_for_programs(const struct wry_region *region);

/* The name of the only region that fits a program by kind and length; NULL if there is none, or
 * several. */
const char *placement_of_program(const struct target *target, const struct image *image);

/* For new content of a settings or files region: finds the rest of the region, which is erased. */
void placement_find_rest(const struct target *target, struct image *image);

/* Checks images placed by offset for ends of regions, settings and the region table. */
struct wry_problem *placement_check(const struct target *target, struct image *image,
                                    bool any_place);

/* A problem with the place of the image and the region concerned, which may be NULL. */
struct wry_problem *placement_fail(enum wry_problem_kind kind, const struct image *image,
                                   const struct wry_region *region);
