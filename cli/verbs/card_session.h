/*
 * card run --each: what is common to one place and to several. Boards are counted, their lot is
 * followed, and each is an item of the JSON document.
 */
#pragma once

#include "card_lot.h"
#include "card_verb.h"

/* Why a board failed; all NULL if it passed. */
struct card_failure {
    const char *link, *words, *advice;
    const char *cause; /* the likely cause, if the link failed */
};

struct card_session {
    struct app *app;
    struct wry_card *card;
    const struct card_options *options;
    struct wry_station_settings settings;
    struct card_lot lot;
    GHashTable *had; /* addresses of earlier boards, with their outcome */
    unsigned passed, failed, done_before;
    GPtrArray
        *silent; /* lines for boards that failed before they gave their address, some of them */
    unsigned silent_count;
    bool end_told; /* the message that it ends after this board was printed */
    bool log_lost; /* some log could not be written */
    enum wry_outcome worst;
};

/* EXIT_DONE, or app_fail's code. card_session_free is needed in any case. */
int card_session_begin(struct card_session *session);
void card_session_free(struct card_session *session);

/* Options to run one board with. */
struct wry_run_options card_session_options(const struct card_session *session);

/* The current boards are finished first: a stop function that says so after Ctrl-C. */
bool card_session_tell_end(void *context);

/* Counts a board that has ended, prints when it was here before, adds it to the JSON document and
 * reads the lot again. */
void card_session_take(struct card_session *session, enum wry_outcome outcome,
                       const struct wry_run_result *result, const struct card_failure *failure);

/* "17 of 50 done, 2 to retry, about 9 min left", or without a lot "3 passed, 1 failed so far". Free
 * with g_free. */
char *card_session_counts(const struct card_session *session);

/* The totals and the lot, and the exit code. */
int card_session_conclude(struct card_session *session);
