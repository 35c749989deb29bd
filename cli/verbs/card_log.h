/* The log of a card's run on one link, if --logs asks for one. */
#ifndef WRY_CLI_CARD_LOG_H
#define WRY_CLI_CARD_LOG_H

#include "station_options.h"
#include "views/board_log.h"

struct card_log {
    const struct app *app;
    struct board_log *log; /* NULL: none was asked for */
    void *context;         /* of who listens otherwise */
    void (*event)(void *context, const struct wry_event *event);
};

/* Opens it and listens in: settings' events go to the log as well, while `log` stays where it is.
 * folder: NULL for none. False after app_fail. */
bool card_log_begin(struct app *app, struct card_log *log, const char *folder, const char *link,
                    struct wry_station_settings *settings);

/* Appends the outcome's line, without secrets of app->station, and closes it. Returns code, or
 * EXIT_INTERNAL where the run was done and the log could not be written. */
int card_log_end(struct app *app, struct card_log *log, const char *line, int code);

#endif
