/*
 * The table of boards of a card: settings of each board, in a row of its own (docs/card.md).
 *
 * A column named 'address' says whose row it is, 'used' when that board was done; every other
 * column is a setting. An empty field leaves the setting as it is.
 *
 *     GPtrArray *values = board_table_take(path, CARD_ROWS_NEXT, eui48, true, &line, &error);
 *     ...
 *     board_table_done(path, eui48, now, &error);
 */
#ifndef WRY_STORE_BOARD_TABLE_H
#define WRY_STORE_BOARD_TABLE_H

#include "card.h"

/* Adds what is wrong with it to mistakes. */
void board_table_check(const char *path, enum card_rows rows, GPtrArray *mistakes);

/* Whether a column of that name is a setting. */
bool board_table_is_setting(const char *name);

/*
 * The settings of that board, struct card_value; NULL with the reason when it has no row, or when
 * none is free. claim: a free row becomes this board's at once, so that nobody else takes it. line
 * is that of the row.
 */
GPtrArray *board_table_take(const char *path, enum card_rows rows,
                            const uint8_t eui48[WRY_EUI48_SIZE], bool claim, unsigned *line,
                            GError **error);

/* A copy of a table at path, unless there is one; several may try at once. */
gboolean board_table_copy(const char *from, const char *path, GError **error);

/* The board was done: its row says when, in UTC. */
gboolean board_table_done(const char *path, const uint8_t eui48[WRY_EUI48_SIZE], const char *when,
                          GError **error);

#endif
