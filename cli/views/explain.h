/* What the library says of problems and notes, as this command's output. */
#ifndef WRY_CLI_EXPLAIN_H
#define WRY_CLI_EXPLAIN_H

#include "app/app.h"
#include "wrytograph-host/event.h"
#include "wrytograph-host/problem.h"

/* Fails with the problem's sentence and advice; returns its outcome. */
int explain(struct app *app, const struct wry_problem *problem);

/* The same with an error, which it frees. */
int explain_error(struct app *app, GError *error);

/* The note as lines on stderr. */
void explain_note(const struct app *app, const struct wry_event *event);

#endif
