/*
 * Runs of the ledger as lines, as one run in full, as JSON and as CSV.
 *
 *     struct table *table = ledger_table_new(app);
 *     ledger_table_row(table, run);
 *     table_end(table, true);
 */
#pragma once

#include "app/app.h"
#include "table.h"
#include "wrytograph-host/ledger.h"

struct table *ledger_table_new(const struct app *app);
void ledger_table_row(struct table *table, const struct wry_ledger_run *run);

/* Prints everything about one run. */
void ledger_table_show(const struct app *app, const struct wry_ledger_run *run);

/* Adds an object. */
void ledger_table_add_json(JsonBuilder *b, const struct wry_ledger_run *run);
/* The same to the object that is open. */
void ledger_table_add_members(JsonBuilder *b, const struct wry_ledger_run *run);

/* Writes a line of CSV (RFC 4180); run NULL: the names. A spreadsheet takes text that begins with =
 * + - @ or a tab for a formula: such text gets an apostrophe in front. */
void ledger_table_write_csv(FILE *to, const struct wry_ledger_run *run);

/* Prints struct wry_ledger_refusal: rejected rows and the reasons. */
void ledger_table_refusals(const struct app *app, const GPtrArray *refusals);
