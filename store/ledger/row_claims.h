/*
 * Rows of a table of boards that are assigned on the ledger's server. A row of a lot belongs to one
 * board, and a board has one row of a lot: the server's unique keys see to that, whichever benches
 * ask at the same moment.
 *
 *     struct row_claims *claims = row_claims_open(ledger, "Pier gauges 3", &error);
 *     if (row_claims_add(claims, "02:1A:…", 5, "7f", &added, &error) && added)
 *         ...
 *     row_claims_close(claims);
 */
#pragma once

#include "store/ledger/row_claim.h"
#include "wrytograph-host/ledger.h"

struct row_claims;

/* Connects, and reads all claims of the lot. NULL with error if the server cannot be reached. */
struct row_claims *row_claims_open(struct wry_ledger *ledger, const char *lot, GError **error);
void row_claims_close(struct row_claims *claims);

/* Reads them again. */
bool row_claims_read(struct row_claims *claims, GError **error);

/* NULL if there is none. */
const struct row_claim *row_claims_of_board(const struct row_claims *claims, const char *board);
const struct row_claim *row_claims_of_row(const struct row_claims *claims, unsigned row);

unsigned row_claims_count(const struct row_claims *claims);

/* Claims a row in one statement. *added is false if the row has a board or the board a row now. */
bool row_claims_add(struct row_claims *claims, const char *board, unsigned row, const char *mark,
                    bool *added, GError **error);
/* Returns a row that was just claimed and cannot be used. */
bool row_claims_remove(struct row_claims *claims, const char *board, unsigned row, GError **error);
