/* Changes single settings in the block of the board, or in the one that the job writes. */
#pragma once

#include "jobs/plan/image_set.h"

/* Adds an image for each region with changed settings. Everything else is placed. */
struct wry_problem *settings_edit_apply(const struct images_job *job, const struct target *target);
