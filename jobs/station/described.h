/* The settings description of a job: the one that the caller named, or the layout file's. */
#pragma once

#include "jobs/station/station_problem.h"
#include "store/image/settings_description.h"

/* *description is NULL if there is none; it is valid as the station. */
struct wry_problem *described_load(struct wry_station *station,
                                   const struct settings_description **description);
