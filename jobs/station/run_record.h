/*
 * What is put on record of a job: one row of the ledger, from when the board is called until the
 * outcome. A job within another, as in a card, adds to the row of that one.
 *
 *     recording_begin(station, "write");
 *     enum wry_outcome outcome = write_images(…);
 *     return recording_end(station, outcome);
 */
#ifndef WRY_JOBS_RECORDING_H
#define WRY_JOBS_RECORDING_H

#include "jobs/station/problem.h"
#include "wrytograph-host/jobs.h"
#include "wrytograph-host/ledger.h"

struct recording;

/* kind: as struct wry_ledger_run has it. Nothing is written yet; without a ledger, never. */
void recording_begin(struct wry_station *station, const char *kind);
/* Returns outcome. */
enum wry_outcome recording_end(struct wry_station *station, enum wry_outcome outcome);

/* The board is called now: from here on there is a row. */
void recording_touch(struct wry_station *station);
/* The board has answered. */
void recording_board(struct wry_station *station);

/* A step of a card, named as the ledger has it. */
void recording_step(struct wry_station *station, const char *step);
/* skipped: it was not needed. */
void recording_step_end(struct wry_station *station, enum wry_outcome outcome, bool skipped);

/* Bytes of content that were written or read. */
void recording_bytes(struct wry_station *station, uint64_t bytes);
/* One content that goes onto the board. */
struct run_content {
    const struct wry_planned_image *facts;
    const uint8_t *sha256; /* of WRY_SHA256_SIZE bytes; NULL: left out of the record */
};
void recording_contents(struct wry_station *station, const struct run_content *contents, size_t n);
void recording_archive(struct wry_station *station, const char *file);
void recording_backup(struct wry_station *station, const char *file);
/* What the board said: its last lines are kept. */
void recording_heard(struct wry_station *station, const char *text);

/* The run needs nothing done: its board got the card before, at that time (NULL: not known). */
void recording_done_before(struct wry_station *station, const char *when);

/* The row itself, for what only a card knows; NULL when nothing is recorded. */
struct wry_ledger_run *recording_run(struct wry_station *station);

#endif
