/* A card or a kit: what it is for, and what is in it. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/card.h"

/* Lines, and members of the document. */
void card_view_show(const struct app *app, const struct wry_card *card);

/* "4 MiB (32 Mbit) or 8 MiB (64 Mbit)"; free with g_free. */
char *card_view_sizes(const struct wry_card *card);
