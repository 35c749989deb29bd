/*
 * The table of boards of a card: settings of each board, in a row of its own (docs/card.md).
 *
 * A column named 'address' says whose row it is, 'used' when that board was done; every other
 * column is a setting. An empty field leaves the setting as it is.
 *
 *     GPtrArray *values = board_table_take(path, &wanted, &row, &error);
 *     ...
 *     board_table_done(path, eui48, now, &error);
 */
#ifndef WRY_STORE_BOARD_TABLE_H
#define WRY_STORE_BOARD_TABLE_H

#include "card_data.h"

/* Adds what is wrong with it to mistakes. */
void board_table_check(const char *path, enum card_rows rows, GPtrArray *mistakes);

/* Whether a column of that name is a setting. */
bool board_table_is_setting(const char *name);

struct board_table_request {
    enum card_rows rows;
    struct card_share share; /* rows that may be handed out */
    const uint8_t *eui48;
    bool claim; /* a free row becomes this board's at once, so that no other gets it */
};

struct board_table_row {
    unsigned line; /* in the file; 0 = none */
    char *name;    /* its first setting, "gauge 2"; NULL = none; free with g_free */
};

/*
 * The settings of that board, struct card_value; free with g_ptr_array_unref. NULL with the reason
 * when it has no row, or when none is free.
 */
GPtrArray *board_table_take(const char *path, const struct board_table_request *wanted,
                            struct board_table_row *found, GError **error);

/* A copy of a table at path, unless there is one; several may try at once. */
gboolean board_table_copy(const char *from, const char *path, GError **error);

/* The board was done: its row says when, in UTC. */
gboolean board_table_done(const char *path, const uint8_t eui48[WRY_EUI48_SIZE], const char *when,
                          GError **error);

#endif
