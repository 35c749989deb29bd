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
void card_history_clear(struct card_history *earlier);
