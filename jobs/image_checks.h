/* What must hold of an image before it is written: for this board, in its place. */
#ifndef WRY_JOBS_IMAGE_CHECKS_H
#define WRY_JOBS_IMAGE_CHECKS_H

#include "image.h"
#include "regions.h"

enum image_use {
    IMAGE_WRITE,   /* it must be whole and fit the board */
    IMAGE_COMPARE, /* any content will do: nothing is changed by it */
};

/* Whether a program stands in a region for programs, and fits it. */
enum wry_outcome image_check_region(struct wry_station *station, const struct image *image,
                                    enum image_use use);

/* All else; sets the flash size in its header unless leave_header is wanted. */
enum wry_outcome image_check(struct wry_station *station, struct image *image,
                             const struct target *target, enum image_use use,
                             const struct wry_images_wanted *wanted);

#endif
