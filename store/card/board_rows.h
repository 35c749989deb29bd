/*
 * The rows of a table of boards, for readers that change nothing.
 *
 *     g_autoptr(GPtrArray) rows = board_rows_load("gauges.csv", names, share, &error);
 */
#pragma once

#include "card_data.h"
#include "store/text/csv_table.h"

#define BOARD_ROWS_ADDRESS "address" /* the column of boards */
#define BOARD_ROWS_USED "used"       /* the column of times when a board passed */

struct board_row {
    unsigned line;                 /* line in the file */
    bool has_board;                /* it was assigned: */
    uint8_t eui48[WRY_EUI48_SIZE]; /* to this board */
    bool is_used;                  /* the board passed: there is a time in the column for that */
    bool is_free;                  /* no board has it, and nothing is in that column */
    bool is_of_share;              /* this kit may assign it */
    char *name;                    /* "gauge 2, pier C"; NULL = none */
};

/* All rows in file order, as struct board_row; free with g_ptr_array_unref. names: the columns of a
 * name, ending with NULL; NULL: the first setting. NULL with error. */
GPtrArray *board_rows_load(const char *path, const char *const *names, struct card_share share,
                           GError **error);

/* True if a column with this name is a setting. */
bool board_rows_is_setting(const char *name);
/* The name of a row, counted from 1; NULL if its fields are empty. Free with g_free. */
char *board_rows_name(const struct csv_table *table, guint row, const char *const *names);
/* The line of a row; 0 for an empty one. */
unsigned board_rows_line(const struct csv_table *table, guint row);
/* True if the line is among these, which are sorted; also if there are none. */
bool board_rows_is_among(const unsigned *lines, size_t count, unsigned line);
bool board_rows_is_of_share(guint row, struct card_share share);
