/* Where content and flash differ: lines for each comparison, and a map of all. */
#ifndef WRY_CLI_MISMATCHES_H
#define WRY_CLI_MISMATCHES_H

#include "app/app.h"
#include "wrytograph-host/jobs.h"

/* A line for the comparison, and one for each place that differs. */
void mismatches_print(const struct app *app, const struct wry_comparison *comparison);

/* The flash map of all that was compared. */
void mismatches_draw(const struct app *app, const struct wry_verify_result *result);

#endif
