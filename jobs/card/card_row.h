/* The row of the table of boards that a board gets. */
#pragma once

#include "store/card/board_table.h"
#include "wrytograph-host/ledger.h"

struct wry_card;

struct card_row_request {
    const struct wry_card *card;
    struct wry_ledger *ledger; /* NULL = none */
    const char *lot;
    const uint8_t *eui48;
    const unsigned *only; /* lines that may be used, sorted */
    size_t only_count;    /* 0 = any */
    bool dry_run;         /* assign nothing */
};

/*
 * The settings of the board's row as struct card_value; free with g_ptr_array_unref. For a card
 * that assigns rows, a board without one gets the next free row at once, so that no other board
 * gets it: on the ledger's server if there is one, and in the table. NULL without error if the card
 * has no table. NULL with error if the board gets no row; *unknown is true if that is because the
 * server cannot be reached.
 */
GPtrArray *card_row_take(const struct card_row_request *request, struct board_table_row *found,
                         bool *unknown, GError **error);
