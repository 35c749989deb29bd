/*
 * CSV tables (RFC 4180) as spreadsheets write them: with commas or semicolons, with or without a
 * byte order mark. Every field knows its position; unchanged fields are written as they were.
 *
 *     struct csv_table *table = csv_table_load("gauges.csv", &error);
 *     int column = csv_table_column(table, "address");
 *     csv_table_set(table, row, column, "02:1A:…");
 *     csv_table_save(table, &error);
 */
#pragma once

#include <glib.h>
#include <stdbool.h>

struct csv_field {
    char *text;
    unsigned line, column; /* counted from 1 */
};

struct csv_table {
    char *path;
    char delimiter;
    bool is_marked; /* begins with a byte order mark, without which spreadsheets do not assume UTF-8
                     */
    GPtrArray *rows; /* rows as GArray of struct csv_field; the first has the names */
};

/* NULL with an error that gives file, line and cause. */
struct csv_table *csv_table_load(const char *path, GError **error);
void csv_table_free(struct csv_table *table);

/* The column with this name, ignoring case; -1 if there is none. */
int csv_table_column(const struct csv_table *table, const char *name);
/* Adds a column; returns its number. */
int csv_table_add_column(struct csv_table *table, const char *name);

/* The text of a field; "" if the row is shorter. Row 0 has the names. */
const char *csv_table_at(const struct csv_table *table, guint row, int column);
void csv_table_set(struct csv_table *table, guint row, int column, const char *text);

/* Replaces the file atomically. */
gboolean csv_table_save(const struct csv_table *table, GError **error);
