/* Earlier runs of a card on a board, from the ledger. */
#pragma once

#include "store/card/card_data.h"
#include "wrytograph-host/ledger.h"

struct card_history {
    unsigned passed; /* runs of this version of the card that passed */
    char *last;      /* time of the last of them; NULL = never */
    bool cut;        /* the latest run that changed the board did not pass */
    char *backup;    /* backup made or known then; NULL = none */
};

/* own: the current run, which is left out. False with error if the ledger cannot be read. */
bool card_history_find(struct wry_ledger *ledger, const struct card *card, const char *board,
                       const char *own, struct card_history *earlier, GError **error);
enum card_lot_state {
    CARD_LOT_NEW,    /* the board has no run in the lot */
    CARD_LOT_DONE,   /* its latest run passed */
    CARD_LOT_FAILED, /* its latest run did not, or this may be a board that failed before it gave
                        its address */
};

/* Where a board stands in a lot; *when is the time if it is done, free with g_free. False with
 * error if the ledger cannot be read. */
bool card_history_in_lot(struct wry_ledger *ledger, const char *lot, const char *board,
                         const char *own, enum card_lot_state *state, char **when, GError **error);
void card_history_clear(struct card_history *earlier);
