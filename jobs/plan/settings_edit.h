/* Single settings, changed in the block that the board has, or in the one that the job brings. */
#ifndef WRY_JOBS_SETTINGS_EDIT_H
#define WRY_JOBS_SETTINGS_EDIT_H

#include "jobs/plan/image_set.h"

/* Adds an image for each region whose block is changed. All else is placed. */
struct wry_problem *settings_edit_apply(const struct images_job *job, const struct target *target);

#endif
