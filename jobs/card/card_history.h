/* What the ledger says of a card on a board before. */
#ifndef WRY_JOBS_CARD_HISTORY_H
#define WRY_JOBS_CARD_HISTORY_H

#include "store/card/card_data.h"
#include "wrytograph-host/ledger.h"

struct card_history {
    unsigned passed; /* times, of this version of the card */
    char *last;      /* when it did last; NULL = never */
    bool cut;        /* the latest run of this card that changed it did not pass */
    char *backup;    /* that was made or known then; NULL = none */
};

/* own: the run that is going on. False with the reason when it cannot be told. */
bool card_history_find(struct wry_ledger *ledger, const struct card *card, const char *board,
                       const char *own, struct card_history *earlier, GError **error);
void card_history_clear(struct card_history *earlier);

#endif
