/* Several images as one plan: opened, placed, checked. */
#ifndef WRY_JOBS_IMAGE_SET_H
#define WRY_JOBS_IMAGE_SET_H

#include "jobs/plan/image_checks.h"

struct archive;

/* What a plan's readers work on. */
struct wry_image_set {
    size_t count, room;
    struct image **images;
    const struct wry_planned_image **facts;
    struct wry_placement *items;
    struct image_piece *pieces; /* what the items' readers work on */
    struct archive *archive;
    GArray *moved;                   /* struct wry_moved_region; NULL without a new table */
    const struct image *table_image; /* the region table that rules the job; NULL without */
};

struct images_job {
    struct wry_station *station;
    const struct wry_images_options *options;
    enum image_use use;
    bool recovers;                /* it puts back what a cut job left */
    struct wry_image_set **held; /* to be freed by the caller in any case */
    struct wry_planned *planned;
};

/* Opens what is wanted. */
struct wry_problem *images_open(const struct images_job *job);

/* One image more, empty yet. There is room for one for each setting that is wanted. */
struct image *images_add(struct wry_image_set *held);

/* The plan of what is placed; fills in planned. */
struct wry_problem *images_lay_out(const struct images_job *job, const struct target *target);

/* Fills in sectors and kept of a plan. */
void images_count_sectors(struct wry_planned *planned);

/* Puts on record what goes onto the board: its run in the ledger, and known content. */
void images_record(struct wry_station *station, const struct wry_image_set *held);

void images_free(struct wry_image_set *held);

#endif
