/* Images that a job takes from the shelf. */
#ifndef WRY_JOBS_SHELF_SOURCE_H
#define WRY_JOBS_SHELF_SOURCE_H

#include "jobs/station/regions.h"
#include "placed_image.h"

/* Chooses what the image's path names, for this target, and opens it. Several that fit are never
 * guessed among. */
struct wry_problem *shelf_source_open(const struct target *target, struct image *image,
                                      bool must_be_whole);

#endif
