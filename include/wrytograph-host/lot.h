/*
 * A lot: the boards that a card is meant for, counted. Which are done, which failed, and which are
 * left follows from the ledger and from the card's table of boards, so a lot goes on after a break,
 * on any computer that has the ledger.
 *
 *     struct wry_lot *lot = wry_lot_read(ledger, card, NULL, &error);
 *     printf("%u of %u\n", lot->done, lot->total);
 *     wry_lot_free(lot);
 */
#ifndef WRYTOGRAPH_HOST_LOT_H
#define WRYTOGRAPH_HOST_LOT_H

#include "wrytograph-host/card.h"
#include "wrytograph-host/ledger.h"

#ifdef __cplusplus
extern "C" {
#endif

enum wry_lot_state {
    WRY_LOT_LEFT,    /* not begun, or refused before anything was changed */
    WRY_LOT_RUNNING, /* on this bench or another one */
    WRY_LOT_DONE,    /* its latest run passed */
    WRY_LOT_FAILED,  /* its latest run failed, was stopped or was cut */
};

/* A board of a lot, or a row of the table that no board has yet. Strings may be NULL (unknown). */
struct wry_lot_board {
    enum wry_lot_state state;
    unsigned row;          /* line of its row in the table of boards; 0 = none */
    char *name;            /* who it is, by that row: "gauge 12, pier C" */
    char *address;         /* EUI-48 */
    unsigned runs;         /* runs recorded, without refused ones */
    char *ended;           /* end of its latest run; UTC, ISO 8601 */
    char *firmware;        /* what that run wrote, or was to write */
    char *failed_at;       /* if it failed: the step, */
    char *reason;          /* why, */
    char *advice;          /* and what to do */
    char *link, *computer; /* where that run was */
};

struct wry_lot {
    char *name;
    GPtrArray *boards; /* struct wry_lot_board: rows in the order of the table, then other boards in
                          the order of their latest run */
    unsigned total;    /* boards that the lot has; 0 = not known */
    unsigned done, failed, running;
    unsigned left;     /* boards neither done nor failed; 0 also if the total is not known */
    GPtrArray *silent; /* struct wry_lot_board: the latest run on each link, if it failed before the
                          board gave its address; these boards are not counted in failed */
    double pace; /* seconds from one board to the next, the median of the latest; 0 = unknown */
};

/*
 * Reads the state of a lot. card: gives the number of boards and the rows; NULL: only what the
 * ledger knows. name: NULL for the card's usual lot. ledger: NULL if there is none; then only the
 * table tells. NULL with error if the ledger or the table cannot be read. Free with wry_lot_free.
 */
struct wry_lot *wry_lot_read(struct wry_ledger *ledger, const struct wry_card *card,
                             const char *name, GError **error);
void wry_lot_free(struct wry_lot *lot);

/* The usual lot of a card: its name and version. NULL for a card without boards and count. */
const char *wry_lot_of_card(const struct wry_card *card);

#ifdef __cplusplus
}
#endif

#endif
