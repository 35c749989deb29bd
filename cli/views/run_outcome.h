/*
 * How a card went: one line, and the same so that it can be read from two metres away.
 *
 *     run_outcome_line(&outcome, station, card, &result)   "PASSED  02:1A:…  Pier gauges 3  12.3 s"
 */
#ifndef WRY_CLI_RUN_OUTCOME_H
#define WRY_CLI_RUN_OUTCOME_H

#include "app/app.h"
#include "wrytograph-host/card.h"

/* Which of two outcomes weighs more: that of several boards is the worst. */
enum wry_outcome run_outcome_worse(enum wry_outcome a, enum wry_outcome b);

/* "Pier gauges 3"; free with g_free. */
char *run_outcome_card(const struct wry_card *card);

/* The line; words: why it failed, or NULL. Free with g_free. */
char *run_outcome_line(enum wry_outcome outcome, const struct wry_run_result *result,
                       const struct wry_card *card, const char *words, bool simulated);

/* Steps with times, a line for each, as notes. */
void run_outcome_steps(const struct app *app, const struct wry_run_result *result);

/* The terminal's width in large letters on stdout; line stands below them. bell: a sound, too. */
void run_outcome_banner(const struct app *app, enum wry_outcome outcome,
                        const struct wry_run_result *result, const char *line, bool bell);

void run_outcome_add_json(JsonBuilder *b, const struct wry_run_result *result);

#endif
