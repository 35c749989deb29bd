/* Values that must not be shown: from the keyboard without echo, a file or the environment. */
#pragma once

#include "app/app.h"

/*
 * The value of a key; free with g_free. file, variable: its source, or both NULL for the keyboard,
 * which must be a terminal then. A line end at its end is not part of it. NULL after app_fail.
 */
char *hidden_value_get(struct app *app, const char *key, const char *file, const char *variable);
