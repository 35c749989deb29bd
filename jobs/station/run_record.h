/*
 * The ledger's row of a job, from the first call of the board to the result. A job within another,
 * as in a card, adds to the outer job's row.
 *
 *     run_record_begin(station, "write");
 *     struct wry_problem *problem = write_images(…);
 *     return run_record_end(station, problem);
 */
#pragma once

#include "station_problem.h"
#include "wrytograph-host/card.h"
#include "wrytograph-host/ledger.h"

struct run_record;

/* kind: as in struct wry_ledger_run. Nothing is written yet; without a ledger nothing ever is. */
void run_record_begin(struct wry_station *station, const char *kind);
/* Ends the row with the problem's sentence; returns problem. */
struct wry_problem *run_record_end(struct wry_station *station, struct wry_problem *problem);

/* One of several jobs of the row has failed, at this step: the row ends so, whatever the next do.
 */
void run_record_fail(struct wry_station *station, const struct wry_problem *problem,
                     const char *step);

/* The board is being called: writes the row. */
void run_record_touch(struct wry_station *station);
/* The board has answered: adds its facts. */
void run_record_board(struct wry_station *station);

/* The steps of a card so far: struct wry_run_step_done. goes_on: the last of them is in
 * progress. */
void run_record_steps(struct wry_station *station, const GArray *steps, bool goes_on);

/* From now on something on the board may be changed. */
void run_record_changes(struct wry_station *station);
/* Adds bytes of content written or read. */
void run_record_bytes(struct wry_station *station, uint64_t bytes);
/* Content written to the board. */
struct run_content {
    const struct wry_planned_image *facts;
    const uint8_t *sha256; /* WRY_SHA256_SIZE bytes; NULL: not recorded */
};
void run_record_contents(struct wry_station *station, const struct run_content *contents, size_t n);
void run_record_archive(struct wry_station *station, const char *file);
void run_record_backup(struct wry_station *station, const char *file);
/* Output of the board, of which the last lines are kept. */
void run_record_heard(struct wry_station *station, const char *text);

/* The board needed nothing: it had the card before, at that time (NULL: unknown). */
void run_record_done_before(struct wry_station *station, const char *when);

/* The row, for facts that only a card has; NULL if nothing is recorded. */
struct wry_ledger_run *run_record_run(struct wry_station *station);
