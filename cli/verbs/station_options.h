/* The station that the common options describe, and what it tells while it works. */
#ifndef WRY_CLI_STATION_OPTIONS_H
#define WRY_CLI_STATION_OPTIONS_H

#include "app/app.h"
#include "wrytograph-host/jobs.h"

/* All that the common options say of a station; opens the ledger, if the verb is put on record.
 * EXIT_DONE or app_fail's code. */
int station_settings(struct app *app, struct wry_station_settings *settings);

/* Makes app->station of such settings. */
void station_make_of(struct app *app, const struct wry_station_settings *settings);

/* Makes app->station; bad values are found before any board is touched. EXIT_DONE or app_fail's
 * code. */
int station_make(struct app *app);

/* Leaves the board, closes the link, and ends what is drawn; another station may be made. */
void station_leave(struct app *app);

/* The same, and closes the ledger. */
void station_end(struct app *app);

/* --as; NULL without. EXIT_DONE or the code of app_fail. */
int station_parse_format(struct app *app, const enum wry_image_format **format);

/*
 * The arguments REGION=FILE, OFFSET=FILE and FILE, with the options about images. Free wanted's
 * images with station_free_images. EXIT_DONE or the code of app_fail.
 */
int station_parse_images(struct app *app, struct wry_images_options *options);
void station_free_images(struct wry_images_options *options);

/* EXIT_DONE, or the code of the station's problem, which is told. */
int station_conclude(struct app *app, enum wry_outcome outcome);

#endif
