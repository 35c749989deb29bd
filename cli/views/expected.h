/* The estimate of a write. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/jobs.h"

/* Prints it to stdout, if there is one. */
void expected_print(const struct app *app, const struct wry_expected *expected);
/* Adds it to the document. */
void expected_add(JsonBuilder *b, const struct wry_expected *expected);
