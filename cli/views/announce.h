/* The plan of a job, printed before the flash is changed. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/planned.h"

/* Lines on stderr about a write, an erase or a restore. */
void announce(const struct app *app, const struct wry_planned *planned);

/* What the drawing of a plan does not show. */
void announce_notable(const struct app *app, const struct wry_planned *planned);
