/* Differences between content and flash: lines for each comparison, and a map. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/jobs.h"

/* Prints a line for the comparison, and one for each place that differs. */
void mismatches_print(const struct app *app, const struct wry_comparison *comparison);

/* Draws the flash map of all comparisons. */
void mismatches_draw(const struct app *app, const struct wry_verify_result *result);
