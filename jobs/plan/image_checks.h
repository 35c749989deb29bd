/* What must hold of an image before it is written: for this board, in its place. */
#ifndef WRY_JOBS_IMAGE_CHECKS_H
#define WRY_JOBS_IMAGE_CHECKS_H

#include "jobs/station/regions.h"
#include "placed_image.h"

enum image_use {
    IMAGE_WRITE,   /* it must be whole and fit the board */
    IMAGE_COMPARE, /* any content will do: nothing is changed by it */
};

struct wry_problem *image_check_chip(const struct image *image, const struct target *target);

/* Whether it is what its region is for, and fits it. */
struct wry_problem *image_check_region(const struct image *image, const struct target *target,
                                       const struct wry_images_options *options);

/* All else; sets flash size and read mode in its header as wanted. */
struct wry_problem *image_check(struct image *image, const struct target *target,
                                enum image_use use, const struct wry_images_options *options);

#endif
