/*
 * What is put on record of a job: one row of the ledger, from when the board is called until the
 * problem. A job within another, as in a card, adds to the row of that one.
 *
 *     run_record_begin(station, "write");
 *     struct wry_problem *problem = write_images(…);
 *     return run_record_end(station, problem);
 */
#ifndef WRY_JOBS_RUN_RECORD_H
#define WRY_JOBS_RUN_RECORD_H

#include "station_problem.h"
#include "wrytograph-host/card.h"
#include "wrytograph-host/ledger.h"

struct run_record;

/* kind: as struct wry_ledger_run has it. Nothing is written yet; without a ledger, never. */
void run_record_begin(struct wry_station *station, const char *kind);
/* Returns problem, of which the row gets the words. */
struct wry_problem *run_record_end(struct wry_station *station, struct wry_problem *problem);

/* The board is called now: from here on there is a row. */
void run_record_touch(struct wry_station *station);
/* The board has answered. */
void run_record_board(struct wry_station *station);

/* The steps of a card so far: struct wry_run_step_done. goes_on: the last of them is being done. */
void run_record_steps(struct wry_station *station, const GArray *steps, bool goes_on);

/* Bytes of content that were written or read. */
void run_record_bytes(struct wry_station *station, uint64_t bytes);
/* One content that goes onto the board. */
struct run_content {
    const struct wry_planned_image *facts;
    const uint8_t *sha256; /* of WRY_SHA256_SIZE bytes; NULL: left out of the record */
};
void run_record_contents(struct wry_station *station, const struct run_content *contents, size_t n);
void run_record_archive(struct wry_station *station, const char *file);
void run_record_backup(struct wry_station *station, const char *file);
/* What the board said: its last lines are kept. */
void run_record_heard(struct wry_station *station, const char *text);

/* The run needs nothing done: its board got the card before, at that time (NULL: not known). */
void run_record_done_before(struct wry_station *station, const char *when);

/* The row itself, for what only a card knows; NULL when nothing is recorded. */
struct wry_ledger_run *run_record_run(struct wry_station *station);

#endif
