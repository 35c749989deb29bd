/*
 * Lists of any length in the document that --json prints: each item leaves when it is made, and
 * nothing of it is kept.
 *
 *     json_stream_begin(app, "runs", false);
 *     ...
 *     JsonBuilder *item = json_stream_item(app);
 *     json_add(item, json_text("id", id));
 *     json_stream_add(app, item);
 *     ...
 *     json_stream_end(app);
 *
 * What was added to app->json before comes before it in the document, the rest after it. There may
 * be one such list. Without --json nothing is printed.
 */
#pragma once

#include "app/app.h"

/* lines: each item is one line. */
void json_stream_begin(struct app *app, const char *name, bool lines);

/* An open object for the next item. */
JsonBuilder *json_stream_item(void);
/* Ends the object, prints it and frees it. */
void json_stream_add(struct app *app, JsonBuilder *item);
void json_stream_end(struct app *app);

/* Prints the document, or what is left of it. */
void json_stream_finish(struct app *app);
