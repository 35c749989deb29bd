/* A board and the content of its flash: lines, and members of the document. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/jobs.h"

void identity_show(const struct app *app, const struct wry_identity *identity);
