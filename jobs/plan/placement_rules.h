/* Where images go: regions by name or by what a header says, and what speaks against a place. */
#ifndef WRY_JOBS_PLACEMENT_RULES_H
#define WRY_JOBS_PLACEMENT_RULES_H

#include "jobs/station/regions.h"
#include "placed_image.h"

/* Regions by name: raw content goes to their start, addresses stay as they are. Without a place,
 * raw content goes to the one region that its header fits. */
struct wry_problem *placement_resolve(const struct target *target, struct image *image);

/* The region that the image is for: named, or where the layout is firm and one begins there. NULL
 * when there is none. */
const struct wry_region *placement_region(const struct target *target, const struct image *image);

/* The usual layout of a chip is a guess for this board: no reason to refuse. */
bool placement_are_firm(const struct target *target);

bool placement_is_for_programs(const struct wry_region *region);

/* The name of the one region that a program is for, by kind and length; NULL when there is none, or
 * several. */
const char *placement_of_program(const struct target *target, const struct image *image);

/* New content of a settings or files region: what is behind it there, to be made blank. */
void placement_find_rest(const struct target *target, struct image *image);

/* Ends of regions, settings and the region table under what was given by offset. */
struct wry_problem *placement_check(const struct target *target, struct image *image,
                                    bool any_place);

/* Sets the problem: where the image lies, and the region concerned, which may be NULL. */
struct wry_problem *placement_fail(enum wry_problem_kind kind, const struct image *image,
                                   const struct wry_region *region);

#endif
