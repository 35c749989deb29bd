/* Problems as sentences: what was wrong, where, what to do next. */
#ifndef WRY_CLI_EXPLAIN_H
#define WRY_CLI_EXPLAIN_H

#include "app/app.h"
#include "wrytograph-host/problem.h"

/* Tells the problem by app_fail; returns its outcome. */
int explain(struct app *app, const struct wry_problem *problem);

/* The same as one sentence; free with g_free. */
char *explain_words(const struct wry_problem *problem);

/* The error of a file, a port or a bench, which it frees; the same. */
int explain_error(struct app *app, GError *error);

/* explain_files.c: problems of images, places, parts and archives. False for any other kind. */
bool explain_files(struct app *app, const struct wry_problem *problem);

/* True when the problem was one of places, tables and headers, and is told now. */
bool explain_places(struct app *app, const struct wry_problem *problem);

/* The same of cards. */
bool explain_cards(struct app *app, const struct wry_problem *problem);

/* The same of settings, the shelf and backups. */
bool explain_stores(struct app *app, const struct wry_problem *problem);

#endif
