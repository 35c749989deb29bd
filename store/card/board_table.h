/*
 * The table of boards of a card: one row of settings for each board (docs/card.md). The column
 * 'address' assigns a row to a board, 'used' has the time when that board was done; all other
 * columns are settings. An empty field leaves a setting unchanged.
 *
 *     GPtrArray *values = board_table_take(path, &wanted, &row, &error);
 *     ...
 *     board_table_done(path, eui48, now, &error);
 */
#pragma once

#include "card_data.h"

/* Checks the table and adds its mistakes. */
void board_table_check(const char *path, enum card_rows rows, GPtrArray *mistakes);

struct board_table_request {
    enum card_rows rows;
    struct card_share share; /* rows that this kit may use */
    const uint8_t *eui48;
    const char *const *names; /* columns that say who the board is; NULL: the first setting */
    bool claim; /* assign a free row to this board at once, so that no other board gets it */
    const unsigned *only; /* lines that may be used, sorted */
    size_t only_count;    /* 0 = any */
    unsigned line;        /* use the row in this line; 0 = the board's own, or the next one */
};

struct board_table_row {
    unsigned line; /* line in the file; 0 = none */
    char *name;    /* who the board is: "gauge 2, pier C"; NULL = none; free with g_free */
};

/*
 * The settings of this board as struct card_value; free with g_ptr_array_unref. NULL with error if
 * it has no row and none is free.
 */
GPtrArray *board_table_take(const char *path, const struct board_table_request *wanted,
                            struct board_table_row *found, GError **error);

/* Reports that the board has no row, and which rows were looked at; returns false. */
bool board_table_fail_none(const char *path, const struct board_table_request *wanted,
                           GError **error);

/* Writes the board's address to the row in this line. FALSE with error, *taken if another board has
 * that row or the board another one. */
gboolean board_table_mark(const char *path, unsigned line, const uint8_t eui48[WRY_EUI48_SIZE],
                          bool *taken, GError **error);

/* Copies a table to path if there is none yet; several processes may do so at once. */
gboolean board_table_copy(const char *from, const char *path, GError **error);

/* Records in the board's row when it was done, in UTC. */
gboolean board_table_done(const char *path, const uint8_t eui48[WRY_EUI48_SIZE], const char *when,
                          GError **error);
