/* Problems and notes of the library, as output of the command. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/event.h"
#include "wrytograph-host/problem.h"

/* Fails with the problem's sentence and advice; returns its outcome. */
int explain(struct app *app, const struct wry_problem *problem);

/* The same with an error, which it frees. */
int explain_error(struct app *app, GError *error);

/* Prints a note to stderr. */
void explain_note(const struct app *app, const struct wry_event *event);
