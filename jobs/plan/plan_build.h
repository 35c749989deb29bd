/* From options to a checked plan: images are chosen, placed and checked against a flash. */
#pragma once

#include "jobs/plan/image_set.h"

/* Places and checks the open images; fills in planned. Changes nothing. A region table in the job
 * replaces the target's layout. */
struct wry_problem *plan_build(const struct images_job *job, struct target *target);

/* Opens the images, connects to the board, and plans for it. */
struct wry_problem *plan_build_for_board(const struct images_job *job);
