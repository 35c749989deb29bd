/*
 * The result of a card: as a line, and large enough to read from two metres away.
 *
 *     run_outcome_line(&outcome, station, card, &result)
 *     "PASSED 02:1A:… Pier gauges 3 12.3 s"
 */
#pragma once

#include "app/app.h"
#include "wrytograph-host/card.h"

/* The worse of two outcomes: several boards end with the worst one. */
enum wry_outcome run_outcome_worse(enum wry_outcome a, enum wry_outcome b);

/* "Pier gauges 3"; free with g_free. */
char *run_outcome_card(const struct wry_card *card);

/* The line; words: why it failed, or NULL. Free with g_free. */
char *run_outcome_line(enum wry_outcome outcome, const struct wry_run_result *result,
                       const struct wry_card *card, const char *words, bool simulated);

/* Prints the steps with their times as notes. */
void run_outcome_steps(const struct app *app, const struct wry_run_result *result);

/* Prints the outcome in large letters across the terminal, and line below. bell: also a sound. */
void run_outcome_banner(const struct app *app, enum wry_outcome outcome,
                        const struct wry_run_result *result, const char *line, bool bell);

void run_outcome_add_json(JsonBuilder *b, const struct wry_run_result *result);
