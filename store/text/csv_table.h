/*
 * Tables as CSV (RFC 4180), as spreadsheets write them: with commas or semicolons, with or without
 * a byte order mark. Every field knows where it stands; what is not changed is written as it was.
 *
 *     struct csv_table *table = csv_table_load("gauges.csv", &error);
 *     int column = csv_table_column(table, "address");
 *     csv_table_set(table, row, column, "02:1A:…");
 *     csv_table_save(table, &error);
 */
#ifndef WRY_STORE_CSV_TABLE_H
#define WRY_STORE_CSV_TABLE_H

#include <glib.h>
#include <stdbool.h>

struct csv_field {
    char *text;
    unsigned line, column; /* from 1 */
};

struct csv_table {
    char *path;
    char delimiter;
    bool is_marked;  /* by a byte order mark, without which spreadsheets take UTF-8 for less */
    GPtrArray *rows; /* of GArray of struct csv_field; the first has the names */
};

/* NULL with file, line and cause. */
struct csv_table *csv_table_load(const char *path, GError **error);
void csv_table_free(struct csv_table *table);

/* By name, without regard to case; -1 when there is none. */
int csv_table_column(const struct csv_table *table, const char *name);
/* One more; its number. */
int csv_table_add_column(struct csv_table *table, const char *name);

/* "" where the row is shorter. Row 0 has the names. */
const char *csv_table_at(const struct csv_table *table, guint row, int column);
void csv_table_set(struct csv_table *table, guint row, int column, const char *text);

/* In place of the file, which is there at every moment, old or new. */
gboolean csv_table_save(const struct csv_table *table, GError **error);

#endif
