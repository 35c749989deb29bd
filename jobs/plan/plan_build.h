/* From what is wanted to a plan that holds: images chosen, placed and checked against a flash. */
#ifndef WRY_JOBS_PLAN_BUILD_H
#define WRY_JOBS_PLAN_BUILD_H

#include "jobs/plan/image_set.h"

/* Places and checks the images that are open, before anything is touched; fills in planned. The
 * target's layout becomes that of a region table in the job. */
struct wry_problem *plan_build(const struct images_job *job, struct target *target);

/* Opens what is wanted, connects to the board, and plans for it. */
struct wry_problem *plan_build_for_board(const struct images_job *job);

#endif
