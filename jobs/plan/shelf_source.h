/* Images that a job takes from the shelf. */
#ifndef WRY_JOBS_FROM_SHELF_H
#define WRY_JOBS_FROM_SHELF_H

#include "jobs/station/regions.h"
#include "placed_image.h"

/* Chooses what the image's path names, for this target, and opens it. Several that fit are never
 * guessed among. */
enum wry_outcome shelf_source_open(struct wry_station *station, const struct target *target,
                                   struct image *image, bool must_be_whole);

#endif
