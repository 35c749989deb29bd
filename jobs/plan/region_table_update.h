/* A region table among the images: it decides where the rest of the job goes. */
#pragma once

#include "jobs/plan/image_set.h"

/* Replaces the target's layout by the table in the job, if there is one, and notes regions that
 * move. */
struct wry_problem *region_table_update_apply(const struct images_job *job, struct target *target);

/* Checks that an application region which moves gets its program from the job, or already has one;
 * otherwise the board would no longer start. Called when everything is placed. */
struct wry_problem *region_table_update_check(const struct images_job *job,
                                              const struct target *target);
