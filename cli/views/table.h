/*
 * Tables for people: each column is as wide as its widest cell.
 *
 *     struct table *table = table_new(app, "device", "adapter", NULL);
 *     table_row(table, "/dev/ttyUSB0", "usual", NULL);
 *     table_end(table);
 */
#ifndef WRY_CLI_TABLE_H
#define WRY_CLI_TABLE_H

#include "app/app.h"

struct table;

/* The heads of the columns, then NULL; heads that are all "" are not printed. */
struct table *table_new(const struct app *app, ...) G_GNUC_NULL_TERMINATED;

/* Numbers stand at the right of their column. Counts from 0. */
void table_right(struct table *table, size_t column);

/* Adds a row: a text for each column, then NULL. */
void table_row(struct table *table, ...) G_GNUC_NULL_TERMINATED;

/* Prints the table, unless JSON is wanted or it has no rows, and frees it. cut: lines end where the
 * terminal does. */
void table_end(struct table *table, bool cut);

#endif
