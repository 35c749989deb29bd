/* Shared by the parts of the verb 'ledger'. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/card.h"
#include "wrytograph-host/ledger.h"

struct ledger_options {
    char *board, *card, *lot, *firmware, *day, *since, *until, *outcome, *kind, *most, *output,
        *from, *left, *keep_current, *template, *grid, *margin, *first;
    char *begin, *end; /* period of the filter */
    gboolean csv, svg, failed, utc, again;
};

int ledger_usage_error(struct app *app, const char *what);
/* A failing server is not a damaged file: it has another exit code. */
int ledger_fail_read(struct app *app, const struct wry_ledger *ledger, GError *error);

/* The filter that the options ask for; its strings belong to them. EXIT_DONE, or app_fail's code.
 */
int ledger_filter_make(struct app *app, struct wry_ledger *ledger, struct ledger_options *options,
                       struct wry_ledger_filter *filter);
/* Replaces a part of a board's address by the address, if only one board of the ledger has it. */
int ledger_filter_board(struct app *app, struct wry_ledger *ledger, char **board);
void ledger_filter_clear(struct ledger_options *options);

/* ledger_boards.c */
/* A card, to count its boards; NULL after app_fail. Close with wry_card_close. */
struct wry_card *ledger_card(struct app *app, const char *path);
int ledger_boards(struct app *app, struct wry_ledger *ledger, struct wry_ledger_filter *filter,
                  const struct ledger_options *options);
int ledger_before(struct app *app, struct wry_ledger *ledger, const char *board);
int ledger_lots(struct app *app, struct wry_ledger *ledger, const struct wry_ledger_filter *filter,
                const struct ledger_options *options);

/* ledger_files.c */
int ledger_export(struct app *app, struct wry_ledger *ledger,
                  const struct wry_ledger_filter *filter, const struct ledger_options *options);
int ledger_report(struct app *app, struct wry_ledger *ledger,
                  const struct wry_ledger_filter *filter, const struct ledger_options *options);

/* ledger_labels.c */
int ledger_label(struct app *app, struct wry_ledger *ledger, const char *board,
                 const struct ledger_options *options);
int ledger_labels(struct app *app, struct wry_ledger *ledger,
                  const struct wry_ledger_filter *filter, const struct ledger_options *options);

/* ledger_send.c: what waits on this computer for a server. */
int ledger_tell_waiting(struct app *app, struct wry_ledger *ledger);
int ledger_send(struct app *app, struct wry_ledger *ledger, const struct ledger_options *options);

/* ledger_boards.c: frees the row of a board. */
int ledger_release(struct app *app, struct wry_ledger *ledger, const char *board,
                   const struct ledger_options *options);
