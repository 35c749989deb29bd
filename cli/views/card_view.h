/* A card or a kit as lines: what it is for, and what is in it. */
#ifndef WRY_CLI_CARD_VIEW_H
#define WRY_CLI_CARD_VIEW_H

#include "app/app.h"
#include "wrytograph-host/card.h"

void card_view_print(const struct app *app, const struct wry_card *card);
void card_view_add_json(JsonBuilder *b, const struct wry_card *card);

/* "4 MiB (32 Mbit) or 8 MiB (64 Mbit)"; free with g_free. */
char *card_view_sizes(const struct wry_card *card);

#endif
