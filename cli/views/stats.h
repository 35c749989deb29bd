/* Savings of a job: what it did not have to send or read, and why. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/jobs.h"

/* Prints them to stderr, if there are any. */
void stats_tell(const struct app *app, const struct wry_done *done);
