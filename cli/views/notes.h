/* Notes of a station as lines on stderr. */
#ifndef WRY_CLI_NOTES_H
#define WRY_CLI_NOTES_H

#include "app/app.h"
#include "wrytograph-host/event.h"

void notes_tell(const struct app *app, const struct wry_event *event);

#endif
