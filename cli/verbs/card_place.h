/*
 * A place where one board after another is connected: a link, or any port that appears.
 *
 *     while ((link = card_place_wait(&place))) {
 *         ... run the card on link ...
 *         if (!card_place_wait_gone(&place, link, &result))
 *             break;
 *     }
 */
#pragma once

#include "card_verb.h"

struct card_place {
    const char *link;                     /* NULL: ports that appear */
    struct wry_station_settings settings; /* how boards are called */
    void *context;
    /* Reports a problem of the link that may pass, once for each reason. */
    void (*tell)(void *context, const char *text);
    /* True if the user asks to go on without waiting. NULL = never. */
    bool (*goes_on)(void *context);
    /* True if waiting ends. */
    bool (*is_over)(void *context);
    /* The link can never be opened; the place is of no use then. */
    bool is_bad;
    enum wry_outcome outcome; /* why: */
    char *sentence, *advice;
    GHashTable *ports; /* ports at the last check */
    char *trouble;     /* problem reported last; NULL = none */
};

/* link, settings, context and the functions are given. */
void card_place_begin(struct card_place *place);
void card_place_end(struct card_place *place);

/* Waits for a board; the link that it is on, free with g_free. NULL if the user stops or the place
 * is bad. */
char *card_place_wait(struct card_place *place);

/* Waits until the board is removed or replaced by another one; false if the user stops. */
bool card_place_wait_gone(struct card_place *place, const char *link,
                          const struct wry_run_result *done);
