/* The settings description of a job: the one that the caller named, the layout file's, or the
 * shelf's for the program that the job writes or the board has. */
#pragma once

#include "jobs/plan/image_set.h"
#include "store/image/settings_description.h"

/*
 * *description is NULL if there is none; it is valid until the next call. target: the board, or
 * NULL without one. held: the images of the job, or NULL.
 */
struct wry_problem *described_load(struct wry_station *station, const struct target *target,
                                   const struct wry_image_set *held,
                                   const struct settings_description **description);
