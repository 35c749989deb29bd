/* How the jobs report: problems for the caller, events on the way. */
#ifndef WRY_JOBS_STATION_PROBLEM_H
#define WRY_JOBS_STATION_PROBLEM_H

#include "jobs/station/station_state.h"

/* Every public call begins with this. */
void station_begin(struct wry_station *station);

/*
 * Sets the problem and returns the outcome. subject may be NULL; the caller fills in further facts
 * afterwards.
 */
enum wry_outcome station_fail(struct wry_station *station, enum wry_outcome outcome,
                              enum wry_problem_kind kind, const char *subject);

/* Takes over the error of a port, a bench or a file. */
enum wry_outcome station_fail_system(struct wry_station *station, GError *error);

/* From the session's fault. */
enum wry_outcome station_fail_session(struct wry_station *station, enum wry_status status);

/* What was heard of the board, without the secrets of this job. */
void station_mask_evidence(const struct wry_station *station, struct wry_evidence *evidence);

/* us on the port's clock; 0 before it is open. */
uint64_t station_now(const struct wry_station *station);

bool station_stopped(const struct wry_station *station);

/* Sends the event, with the time. */
void station_tell(const struct wry_station *station, struct wry_event event);
void station_note(const struct wry_station *station, enum wry_note note, const char *text);
/* places: struct wry_place, zero-terminated; nothing is told when it is empty. */
void station_note_places(const struct wry_station *station, enum wry_note note,
                         const GArray *places);
void station_step(const struct wry_station *station, enum wry_phase step);
void station_step_end(const struct wry_station *station, enum wry_phase step);

#endif
