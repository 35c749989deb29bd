/* A card or a kit: what it is for, and what is in it. */
#ifndef WRY_CLI_CARD_VIEW_H
#define WRY_CLI_CARD_VIEW_H

#include "app/app.h"
#include "wrytograph-host/card.h"

/* Lines, and members of the document. */
void card_view_show(const struct app *app, const struct wry_card *card);

/* "4 MiB (32 Mbit) or 8 MiB (64 Mbit)"; free with g_free. */
char *card_view_sizes(const struct wry_card *card);

#endif
