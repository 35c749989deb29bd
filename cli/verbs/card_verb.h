/* Shared by the ways to run a card. */
#pragma once

#include "station_options.h"
#include "wrytograph-host/card.h"

struct card_options {
    char *trust;    /* public keys; NULL: accept any kit or card */
    char *output;   /* pack */
    char *sign;     /* pack: a secret key */
    char *links;    /* file with links */
    char *adapters; /* all ports with this adapter, "VENDOR:PRODUCT" or "all" */
    char *logs;     /* folder */
    char *share;    /* pack: "K/N" */
    char *lot;      /* run: its name in the ledger; NULL: the card's */
    char **only;    /* run: rows, see card_lot.c; NULL = any */
    gboolean one_bench;
    gboolean each, again, bell, failed;
};

/* Opens a card and reports all its mistakes. NULL after app_fail. */
struct wry_card *card_open(struct app *app, const char *path, const struct card_options *options);

/* The same with trusted keys, or NULL. */
struct wry_card *card_open_from(struct app *app, const char *path, const char *trust);

/* Runs it on the board of app->link. */
int card_run_one(struct app *app, struct wry_card *card, const struct card_options *options);

/* The links to use; NULL after app_fail. Empty: the default link. */
GPtrArray *card_links(struct app *app, const struct card_options *options);

/* Runs it on all of these in parallel. */
int card_run_many(struct app *app, struct wry_card *card, const GPtrArray *links,
                  const struct card_options *options);

/* Runs it on one board after another, at one place or at several. */
int card_run_each(struct app *app, struct wry_card *card, const struct card_options *options);
int card_run_each_many(struct app *app, struct wry_card *card, const GPtrArray *links,
                       const struct card_options *options);
