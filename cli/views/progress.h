/*
 * What moves on the terminal while a station works: the bar, the call by hand, the lost link.
 * Nothing is drawn when stderr is no terminal.
 */
#ifndef WRY_CLI_PROGRESS_H
#define WRY_CLI_PROGRESS_H

#include "wrytograph-host/event.h"

struct progress;

struct progress *progress_new(bool by_hand);
/* Ends what is drawn; NULL is fine. */
void progress_free(struct progress *live);

/* Steps and progress; other events are not its business. */
void progress_show(struct progress *live, const struct wry_event *event);

#endif
