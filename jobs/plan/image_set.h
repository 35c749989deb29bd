/* Several images in one plan: opened, placed, checked. */
#pragma once

#include "jobs/plan/image_checks.h"

struct archive;

/* The data behind a plan's readers. */
struct wry_image_set {
    size_t count, room;
    struct image **images;
    const struct wry_planned_image **facts;
    struct wry_placement *items;
    struct image_piece *pieces; /* contexts of the items' readers */
    struct archive *archive;
    GArray *moved;                   /* struct wry_moved_region; NULL if there is no new table */
    const struct image *table_image; /* the region table in the job; NULL = none */
};

struct wry_settings_options;

struct images_job {
    struct wry_station *station;
    const struct wry_images_options *options;
    const struct wry_settings_options *edit; /* changes of settings beside those of options; or
                                                NULL */
    GPtrArray *edited; /* takes struct settings_edited, for each block that was changed; or NULL */
    enum image_use use;
    bool recovers; /* this job recovers interrupted writes itself; do not warn about them */
    struct wry_image_set **held; /* freed by the caller in any case */
    struct wry_planned *planned;
};

/* Opens the images of the options. */
struct wry_problem *images_open(const struct images_job *job);

/* Adds an empty image. There is room for one per setting to change. */
struct image *images_add(struct wry_image_set *held);

/* Makes the plan of the placed images; fills in planned. */
struct wry_problem *images_lay_out(const struct images_job *job, const struct target *target);

/* Fills in sectors and kept. */
void images_count_sectors(struct wry_planned *planned);

/* Records what is written to the board, in the ledger and as known content. */
void images_record(struct wry_station *station, const struct wry_image_set *held);

void images_free(struct wry_image_set *held);
