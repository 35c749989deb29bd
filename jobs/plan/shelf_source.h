/* Images from the shelf. */
#pragma once

#include "jobs/station/regions.h"
#include "placed_image.h"

/* Chooses and opens the item named in the image's path for this target. Never guesses among several
 * that fit. */
struct wry_problem *shelf_source_open(const struct target *target, struct image *image,
                                      bool must_be_whole);
