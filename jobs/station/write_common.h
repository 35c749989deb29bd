/* What the jobs that write have in common, and how a job is counted and timed. */
#ifndef WRY_JOBS_WORK_H
#define WRY_JOBS_WORK_H

#include "jobs/station/problem.h"
#include "wrytograph-host/jobs.h"

struct work {
    struct wry_station *station;
    bool connected; /* when it began */
    struct wry_session_stats before;
    uint64_t begun; /* us on the link's clock; without a link yet, when the board was called */
};

void work_begin(struct work *work, struct wry_station *station);

/* What was done since. */
struct wry_done work_done(const struct work *work);

/* Makes good what a cut job left, and then makes the flash hold what the plan says. */
enum wry_outcome work_write(const struct work *work, enum wry_job_step step,
                            const struct wry_planned *planned, struct wry_done *done);

#endif
