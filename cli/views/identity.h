/* A board and the content of its flash: lines, and members of the document. */
#ifndef WRY_CLI_IDENTITY_H
#define WRY_CLI_IDENTITY_H

#include "app/app.h"
#include "wrytograph-host/jobs.h"

void identity_show(const struct app *app, const struct wry_identity *identity);

#endif
