/* How jobs report: problems to the caller, events while they work. */
#pragma once

#include "jobs/station/station_state.h"

/*
 * A call that can fail returns a problem, or NULL for success. Its caller passes it on, adds facts,
 * or frees it. A public call gives it to the station, where wry_station_problem returns it.
 */

/* subject may be NULL. */
struct wry_problem *problem_new(enum wry_outcome outcome, enum wry_problem_kind kind,
                                const char *subject);
/* The same with further members: PROBLEM(outcome, kind, subject, .found = 3). It takes over strings
 * and other members that are freed with a problem. */
#define PROBLEM(result, what, about, ...)                                                          \
    problem_of((struct wry_problem){.outcome = result, .kind = what, __VA_ARGS__}, about)
struct wry_problem *problem_of(struct wry_problem values, const char *subject);
/* NULL is allowed. */
void problem_free(struct wry_problem *problem);

/* A problem for an error of a port, a bench or a file, which it takes over. */
struct wry_problem *problem_of_error(GError *error);

/* Likewise with a given kind and outcome. */
struct wry_problem *problem_of_cause(enum wry_outcome outcome, enum wry_problem_kind kind,
                                     GError *cause);

/* From the session's fault. */
struct wry_problem *problem_of_session(struct wry_station *station, enum wry_status status);

/* Begin and end of every public call; the end takes over the problem and returns its outcome. */
void station_begin_call(struct wry_station *station);
enum wry_outcome station_end_call(struct wry_station *station, struct wry_problem *problem);
/* The same for a call that is not a job. */
enum wry_outcome station_end_step(struct wry_station *station, struct wry_problem *problem);

/* Takes the problem of the last public call, for jobs made of others; NULL: it succeeded. */
struct wry_problem *station_take_problem(struct wry_station *station);

/* Masks secrets in what was heard. */
void station_mask_evidence(const struct wry_station *station, struct wry_evidence *evidence);

/* us on the port's clock; 0 before it is open. */
uint64_t station_now(const struct wry_station *station);

bool station_stopped(const struct wry_station *station);

/* Sends an event with the time. */
void station_tell(const struct wry_station *station, struct wry_event event);
void station_note(const struct wry_station *station, enum wry_note note, const char *text);
/* places: struct wry_place, zero-terminated; if it is empty nothing is sent. */
void station_note_places(const struct wry_station *station, enum wry_note note,
                         const GArray *places);
void station_step(struct wry_station *station, enum wry_phase step);
void station_step_end(const struct wry_station *station, enum wry_phase step);
