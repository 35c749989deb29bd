/* Common parts of jobs that write, and the counts and time of a job. */
#pragma once

#include "station_problem.h"
#include "wrytograph-host/jobs.h"

struct write_common {
    struct wry_station *station;
    bool connected; /* state at the beginning */
    struct wry_session_stats before;
    uint64_t begun; /* us on the link's clock; without a link, when the board was called */
};

void write_common_begin(struct write_common *work, struct wry_station *station);

/* What was done since then. */
struct wry_done write_common_done(const struct write_common *work);

/* Recovers interrupted writes, then makes the flash hold the content of the plan. */
struct wry_problem *write_common_write(const struct write_common *work, enum wry_phase step,
                                       const struct wry_planned *planned, struct wry_done *done);
