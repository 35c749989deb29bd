/*
 * The trace of a link, for reports of faults: each frame by kind, sequence number and length, with
 * the time, and what the port was set to. Content is not shown, so no secret is either.
 */
#pragma once

#include "app/app.h"
#include "wrytograph-host/station.h"

struct trace;

struct trace *trace_new(const struct app *app);
void trace_free(struct trace *trace);

/* Shows on stderr what passed on the link. */
void trace_show(struct trace *trace, const struct wry_trace *event);
