/* What a write is expected to do and take. */
#ifndef WRY_CLI_EXPECTED_H
#define WRY_CLI_EXPECTED_H

#include "app/app.h"
#include "wrytograph-host/jobs.h"

/* Lines on stdout, where it is known. */
void expected_print(const struct app *app, const struct wry_expected *expected);
/* The same as a member of the result. */
void expected_add(JsonBuilder *b, const struct wry_expected *expected);

#endif
