/* What a job did not have to send or read, and why. */
#ifndef WRY_CLI_STATS_H
#define WRY_CLI_STATS_H

#include "app/app.h"
#include "wrytograph-host/jobs.h"

/* Lines on stderr, where there is anything to tell. */
void stats_tell(const struct app *app, const struct wry_done *done);

/* The same as members of the result. */
void stats_add(JsonBuilder *b, const struct wry_done *done);

#endif
