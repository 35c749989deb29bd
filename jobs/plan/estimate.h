/* The estimate of a write, by the session's cost model. */
#pragma once

#include "jobs/station/station_problem.h"
#include "wrytograph-host/jobs.h"

/* Estimates; the board is connected. Changes nothing. */
struct wry_problem *estimate_look(struct wry_station *station, const struct wry_plan *plan,
                                  bool every_sector, struct wry_expected *expected);
void estimate_clear(struct wry_expected *expected);
