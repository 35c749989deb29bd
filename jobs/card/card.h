/* A card or a kit that is open, from within. */
#ifndef WRY_JOBS_CARD_H
#define WRY_JOBS_CARD_H

#include "store/card/card_data.h"
#include "store/card/kit.h"
#include "wrytograph-host/card.h"

struct wry_card {
    char *path; /* as given */
    struct card *card;
    struct kit *kit; /* NULL: no kit */
};

/* Loads card->path; mistakes are added. False with the error when it cannot be read, or is not
 * trusted. */
bool card_begin(struct wry_card *card, const char *trust, GPtrArray *mistakes, GError **error);

/*
 * What is written to a board of that size of flash. Free with card_wanted_clear; its strings are
 * the card's, and those of values, which may be NULL and outlive it.
 */
void card_wanted(const struct wry_card *card, uint32_t flash_size, const GPtrArray *values,
                 struct wry_images_options *options);
void card_wanted_clear(struct wry_images_options *options);

/* Where the table of boards is marked: the card's own, or of a kit one beside it. g_free. */
char *card_table(const struct wry_card *card);

#endif
