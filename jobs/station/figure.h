/*
 * The figure of a job: how far it is, in 1/1000, which never falls within one call or run.
 *
 * A job has one step that takes its time, reading or writing; its bytes make the figure rise from
 * CONNECTED to the end. What comes before and after (calling the board, comparing digests) does not
 * show.
 */
#pragma once

#include "jobs/station/station_state.h"

/* A public call begins; within a run the figure goes on. */
void figure_begin(struct wry_station *station);
/* A step of the call begins. */
void figure_step(struct wry_station *station, enum wry_phase step);
/* The step works on several ranges: bytes of all, and of those that are done. */
void figure_total(struct wry_station *station, uint64_t total);
void figure_done(struct wry_station *station, uint64_t bytes);
void figure_progress(struct wry_station *station, const struct wry_session_progress *progress);
/* The n-th of several parts of the call begins; counted from 0. */
void figure_part(struct wry_station *station, unsigned part, unsigned parts);
/* The call has ended well. */
void figure_end(struct wry_station *station);
