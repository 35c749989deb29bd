/* A region table among what is written: it rules where the rest of the job goes. */
#ifndef WRY_JOBS_REGION_TABLE_UPDATE_H
#define WRY_JOBS_REGION_TABLE_UPDATE_H

#include "jobs/plan/image_set.h"

/* Takes the target's layout from the table in the job, if there is one, and notes what moves. */
struct wry_problem *region_table_update_apply(const struct images_job *job, struct target *target);

/* An application's region that moves gets its program from the job, or has one: else the board
 * would no longer start. To be called when all is placed. */
struct wry_problem *region_table_update_check(const struct images_job *job,
                                              const struct target *target);

#endif
