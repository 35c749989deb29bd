/*
 * What moves on the terminal while a station works: the bar, the call by hand, the lost link.
 * Nothing is drawn when stderr is no terminal.
 */
#ifndef WRY_CLI_LIVE_H
#define WRY_CLI_LIVE_H

#include "wrytograph-host/event.h"

struct live;

struct live *live_new(bool by_hand);
/* Ends what is drawn; NULL is fine. */
void live_free(struct live *live);

/* Steps and progress; other events are not its business. */
void live_show(struct live *live, const struct wry_event *event);

#endif
