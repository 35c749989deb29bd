/* What is about to be done to the flash, before it is done. */
#ifndef WRY_CLI_ANNOUNCE_H
#define WRY_CLI_ANNOUNCE_H

#include "app/app.h"
#include "wrytograph-host/planned.h"

/* Lines on stderr about a write, an erase or a restore. */
void announce(const struct app *app, const struct wry_planned *planned);

/* Of a plan that is drawn, what the drawing does not show. */
void announce_notable(const struct app *app, const struct wry_planned *planned);

#endif
