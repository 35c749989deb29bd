/* Writing a finished plan, for jobs that plan in a separate step. */
#pragma once

#include "jobs/plan/plan_build.h"
#include "jobs/station/write_common.h"

/*
 * The second half of wry_station_write. job has been planned into result, whose images stay open
 * until the end, so that a changed file is noticed. work counts from its beginning.
 */
struct wry_problem *write_planned(const struct images_job *job, const struct write_common *work,
                                  struct wry_write_result *result);
