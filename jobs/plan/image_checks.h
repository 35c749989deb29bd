/* Checks of an image before it is written to this board at this place. */
#pragma once

#include "jobs/station/regions.h"
#include "placed_image.h"

enum image_use {
    IMAGE_WRITE,   /* it must be undamaged and fit the board */
    IMAGE_COMPARE, /* any content is accepted: nothing is changed */
};

struct wry_problem *image_check_chip(const struct image *image, const struct target *target);

/* Checks that it is of the kind its region is for, and fits in it. */
struct wry_problem *image_check_region(const struct image *image, const struct target *target,
                                       const struct wry_images_options *options);

/* Does all other checks, and sets flash size and read mode in its header. */
struct wry_problem *image_check(struct image *image, const struct target *target,
                                enum image_use use, const struct wry_images_options *options);
