/* A lot of boards: its counts, and the boards that failed with their reasons. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/lot.h"

/* "17 of 50 done, 2 to retry, about 9 min left"; free with g_free. */
char *lot_view_counts(const struct wry_lot *lot);

/* "left", "running", "done" or "failed". */
const char *lot_view_state(const struct wry_lot_board *board);

/* The board of a lot in words: its name, line and address, as far as they are known. Free with
 * g_free. */
char *lot_view_board(const struct wry_lot_board *board);

/* Prints the counts, and each failed board with step, reason and advice, without those whose
 * address or link is in the set `shown` (NULL: none), which were printed already. */
void lot_view_summary(const struct app *app, const struct wry_lot *lot, GHashTable *shown);

void lot_view_add_json(JsonBuilder *b, const struct wry_lot *lot);

/* Prints what to do about a failed board, indented; NULL: nothing. */
void lot_view_advice(const struct app *app, const char *advice);

/* "about 9 min", "about 1 h 20 min", "less than a minute"; free with g_free. */
char *lot_view_time(double seconds);
