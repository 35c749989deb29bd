/* The station for the common options, and its output while it works. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/jobs.h"

/* Fills in the settings by the common options; opens the ledger if the verb is recorded. EXIT_DONE
 * or app_fail's code. */
int station_settings(struct app *app, struct wry_station_settings *settings);

/* Creates app->station with these settings. */
void station_make_of(struct app *app, const struct wry_station_settings *settings);

/* Does both; bad values are found before any board is touched. EXIT_DONE or app_fail's code. */
int station_make(struct app *app);

/* Leaves the board, closes the link and ends the progress display; another station may be
 * created. */
void station_leave(struct app *app);

/* The same, and closes the ledger. */
void station_end(struct app *app);

/* The value of --as, or NULL. EXIT_DONE or the code of app_fail. */
int station_parse_format(struct app *app, const enum wry_image_format **format);

/*
 * Parses the arguments REGION=FILE, OFFSET=FILE and FILE, and the options about images. Free the
 * result with station_free_images. EXIT_DONE or the code of app_fail.
 */
int station_parse_images(struct app *app, struct wry_images_options *options);
void station_free_images(struct wry_images_options *options);

/* EXIT_DONE, or the code of the station's problem, which is reported. */
int station_conclude(struct app *app, enum wry_outcome outcome);
