/*
 * The lot that a run of a card belongs to: which boards it is for, and where it stands.
 *
 *     struct card_lot lot;
 *     if (card_lot_begin(app, card, options, &lot) == EXIT_DONE)
 *         ...
 *     card_lot_end(&lot);
 */
#pragma once

#include "card_verb.h"
#include "wrytograph-host/lot.h"

struct card_lot {
    struct app *app;
    const struct wry_card *card;
    const char *name;      /* NULL: these runs belong to no lot */
    struct wry_lot *rows;  /* the lot as far as the table tells; NULL: the table cannot be read */
    struct wry_lot *state; /* the same if the ledger was read, too; NULL: not known */
    bool told;             /* that it is not known was reported */
    bool failed_only;
    bool again;     /* boards that are done are done again: the lot never is */
    unsigned *only; /* lines of the rows given by --only, sorted */
    size_t only_count;
};

/* Reads the lot, and finds the rows that --only names. After station_settings. EXIT_DONE, or
 * app_fail's code; card_lot_end is needed in any case. */
int card_lot_begin(struct app *app, const struct wry_card *card, const struct card_options *options,
                   struct card_lot *lot);
void card_lot_end(struct card_lot *lot);

/* Reads it again. */
void card_lot_read(struct card_lot *lot);

/* What the run of one board needs of it. */
void card_lot_prepare(const struct card_lot *lot, struct wry_run_options *options);

/* True if nothing is left to do: all boards are done, or those that --failed or --only ask for. */
bool card_lot_is_done(const struct card_lot *lot);

/* The board that comes next in words, such as "gauge 18, pier C (line 19)"; NULL if that is not
 * known. Free with g_free. */
char *card_lot_next(const struct card_lot *lot);

/* Prints the summary and adds it to the JSON document. shown: see lot_view_summary. */
void card_lot_conclude(struct card_lot *lot, GHashTable *shown);
