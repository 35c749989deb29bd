/*
 * A result as a list of facts: each is a line for people and a member of the JSON document.
 *
 *     struct facts facts = {.app = app, .width = 10};
 *     facts_add(&facts, "format", "format", "backup archive");
 *     facts_add(&facts, "made", "created", archive->created);
 */
#ifndef WRY_CLI_FACTS_H
#define WRY_CLI_FACTS_H

#include "app/app.h"

struct facts {
    const struct app *app;
    int width; /* columns of the words that lines begin with */
};

/* word begins the line, NULL: there is none. member names the value in the document, NULL: it is
 * not there. A text that is NULL is no fact. */
void facts_add(const struct facts *facts, const char *word, const char *member, const char *text);

/* Only a line. */
void facts_line(const struct facts *facts, const char *word, const char *format, ...)
    G_GNUC_PRINTF(3, 4);

#endif
