/* How the jobs report: problems for the caller, events on the way. */
#ifndef WRY_JOBS_STATION_PROBLEM_H
#define WRY_JOBS_STATION_PROBLEM_H

#include "jobs/station/station_state.h"

/*
 * Failing. A call that can fail returns a problem, which its caller passes on, completes with
 * further facts, or frees; NULL: it has not failed. A public call hands the problem to the station,
 * where wry_station_problem finds it.
 */

/* subject may be NULL. */
struct wry_problem *problem_new(enum wry_outcome outcome, enum wry_problem_kind kind,
                                const char *subject);
/* The same with more of its members: PROBLEM(outcome, kind, subject, .found = 3). Strings and what
 * else is freed with a problem are taken over. */
#define PROBLEM(result, what, about, ...)                                                          \
    problem_of((struct wry_problem){.outcome = result, .kind = what, __VA_ARGS__}, about)
struct wry_problem *problem_of(struct wry_problem values, const char *subject);
/* NULL is fine. */
void problem_free(struct wry_problem *problem);

/* Takes over the error of a port, a bench or a file. */
struct wry_problem *problem_of_error(GError *error);

/* Likewise; kind and outcome are given. */
struct wry_problem *problem_of_cause(enum wry_outcome outcome, enum wry_problem_kind kind,
                                     GError *cause);

/* From the session's fault. */
struct wry_problem *problem_of_session(struct wry_station *station, enum wry_status status);

/* Every public call begins with this, and ends with the other: it takes the problem over, and
 * returns its outcome. */
void station_begin_call(struct wry_station *station);
enum wry_outcome station_end_call(struct wry_station *station, struct wry_problem *problem);

/* What a public call has left there, for a job that is made of others; NULL: it has not failed. */
struct wry_problem *station_take_problem(struct wry_station *station);

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
