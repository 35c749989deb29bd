/*
 * The progress display: the bar, the call by hand, the lost link. Nothing is drawn if stderr is not
 * a terminal.
 */
#pragma once

#include "wrytograph-host/event.h"

struct progress;

struct progress *progress_new(bool by_hand);
/* Ends the display; NULL is allowed. */
void progress_free(struct progress *live);

/* Shows steps and progress; ignores other events. */
void progress_show(struct progress *live, const struct wry_event *event);
