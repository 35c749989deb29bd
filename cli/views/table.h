/*
 * Tables for people: each column is as wide as its widest cell.
 *
 *     struct table *table = table_new(app, "device", "adapter", NULL);
 *     table_row(table, "/dev/ttyUSB0", "usual", NULL);
 *     table_end(table, false);
 */
#pragma once

#include "app/app.h"

struct table;

/* The heads of the columns, then NULL; heads that are all "" are not printed. */
struct table *table_new(const struct app *app, ...) G_GNUC_NULL_TERMINATED;

/* Aligns a column to the right, for numbers. Counts from 0. */
void table_right(struct table *table, size_t column);

/* Adds a row: a text for each column, then NULL. */
void table_row(struct table *table, ...) G_GNUC_NULL_TERMINATED;

/* Prints the table, unless it is empty or JSON is wanted, and frees it. If a line is longer than
 * the terminal is wide, its last cell is wrapped, or with cut the line is truncated. */
void table_end(struct table *table, bool cut);
