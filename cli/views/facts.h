/*
 * A result as a list of facts; each one is printed as a line and added to the JSON document.
 *
 *     struct facts facts = {.app = app, .width = 10};
 *     facts_add(&facts, "format", "format", "backup archive");
 *     facts_add(&facts, "made", "created", archive->created);
 */
#pragma once

#include "app/app.h"

struct facts {
    const struct app *app;
    int width; /* width of the word at the beginning of lines */
};

/* Adds a fact. word: begins the line; NULL: no line. member: its name in the document; NULL: not in
 * it. text NULL: no fact. */
void facts_add(const struct facts *facts, const char *word, const char *member, const char *text);

/* Prints a line only. */
void facts_line(const struct facts *facts, const char *word, const char *format, ...)
    G_GNUC_PRINTF(3, 4);
