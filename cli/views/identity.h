/* What a board is, as lines. */
#ifndef WRY_CLI_IDENTITY_H
#define WRY_CLI_IDENTITY_H

#include "app/app.h"
#include "wrytograph-host/jobs.h"

void identity_print(const struct app *app, const struct wry_identity *identity);

/* The same into the document. */
void identity_add(const struct app *app, const struct wry_identity *identity);

#endif
