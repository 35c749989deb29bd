/* The log of a card's run on one link, if --logs asks for one. */
#pragma once

#include "station_options.h"
#include "views/board_log.h"

struct card_log {
    const struct app *app;
    struct board_log *log; /* NULL: no log */
    void *context;         /* context of the previous listener */
    void (*event)(void *context, const struct wry_event *event);
};

/* Opens the log and adds it as a listener: events go to both while `log` is in place. folder: NULL
 * for no log. False after app_fail. */
bool card_log_begin(struct app *app, struct card_log *log, const char *folder, const char *link,
                    struct wry_station_settings *settings);

/* Adds the final line and the advice (NULL: none), without secrets of app->station, and closes the
 * log. Returns code, or EXIT_INTERNAL if the run succeeded but the log could not be written. */
int card_log_end(struct app *app, struct card_log *log, const char *line, const char *advice,
                 int code);
