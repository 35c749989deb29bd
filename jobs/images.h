/* Several images as one plan: opened, placed, checked. */
#ifndef WRY_JOBS_IMAGES_H
#define WRY_JOBS_IMAGES_H

#include "image_checks.h"

struct archive;

/* What a plan's readers work on. */
struct wry_held {
    size_t count;
    struct image **images;
    const struct wry_planned_image **facts;
    struct wry_placement *items;
    struct image_piece *pieces; /* what the items' readers work on */
    struct archive *archive;
};

/* Opens what is wanted; *held is to be freed in any case. */
enum wry_outcome images_open(struct wry_station *station, const struct wry_images_wanted *wanted,
                             enum image_use use, struct wry_held **held);

/* Checks images and places against the target, before anything is touched. */
enum wry_outcome images_plan(struct wry_station *station, const struct wry_images_wanted *wanted,
                             enum image_use use, const struct target *target, struct wry_held *held,
                             struct wry_planned *planned);

/* Both, against the board that is there; connects in between. */
enum wry_outcome images_prepare(struct wry_station *station, const struct wry_images_wanted *wanted,
                                enum image_use use, bool settles, struct wry_held **held,
                                struct wry_planned *planned);

/* Fills in sectors and kept of a plan. */
void images_count_sectors(struct wry_planned *planned);

void images_free(struct wry_held *held);

#endif
