/* What the ways to run a card have in common. */
#ifndef WRY_CLI_CARD_VERB_H
#define WRY_CLI_CARD_VERB_H

#include "station_options.h"
#include "wrytograph-host/card.h"

struct card_options {
    char *trust;    /* public keys; NULL: any kit, and cards */
    char *output;   /* pack */
    char *sign;     /* pack: a secret key */
    char *links;    /* a file that names them */
    char *adapters; /* all ports of that kind, "VENDOR:PRODUCT" or "all" */
    char *logs;     /* folder */
    char *share;    /* pack: "K/N" */
    gboolean one_bench;
    gboolean each, again, bell;
};

/* Opens it, and tells all mistakes of the file itself. NULL after app_fail. */
struct wry_card *card_open(struct app *app, const char *path, const struct card_options *options);

/* The same, as trust says: keys, or NULL. */
struct wry_card *card_open_from(struct app *app, const char *path, const char *trust);

/* On the one board of app->link. */
int card_run_one(struct app *app, struct wry_card *card, const struct card_options *options);

/* The links that are wanted; NULL after app_fail. Empty: the one that there is. */
GPtrArray *card_links(struct app *app, const struct card_options *options);

/* On all of these at once. */
int card_run_many(struct app *app, struct wry_card *card, const GPtrArray *links,
                  const struct card_options *options);

/* On one board after another. */
int card_run_each(struct app *app, struct wry_card *card, const struct card_options *options);

#endif
