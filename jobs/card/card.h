/* An open card or kit, for the files of this room. */
#pragma once

#include "store/card/card_data.h"
#include "store/card/kit.h"
#include "wrytograph-host/card.h"

struct wry_card {
    char *path; /* as given */
    struct card *card;
    struct kit *kit; /* NULL: a card file */
    char *lot;       /* the usual lot: name and version, for a card with boards or count; or NULL */
};

/* Loads card->path and adds its mistakes. False with error if it cannot be read or is not
 * trusted. */
bool card_begin(struct wry_card *card, const char *trust, GPtrArray *mistakes, GError **error);

/*
 * The images to write for this flash size. Free with card_wanted_clear. Its strings belong to the
 * card, and to values, which may be NULL and must outlive it.
 */
void card_wanted(const struct wry_card *card, uint32_t flash_size, const GPtrArray *values,
                 struct wry_images_options *options);
void card_wanted_clear(struct wry_images_options *options);

/* The path of the table of boards in which rows are marked: the card's, or for a kit a copy in
 * the kit's folder. Free with g_free. */
char *card_table(const struct wry_card *card);
