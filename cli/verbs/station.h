/* The station that the common options describe, and what it tells while it works. */
#ifndef WRY_CLI_STATION_H
#define WRY_CLI_STATION_H

#include "app/app.h"
#include "wrytograph-host/jobs.h"

/* Makes app->station; bad values are found before any board is touched. EXIT_DONE or app_fail's
 * code. */
int station_make(struct app *app);

/* Leaves the board, closes the link, and ends what is drawn. */
void station_end(struct app *app);

/* --as; NULL without. EXIT_DONE or the code of app_fail. */
int station_parse_format(struct app *app, const enum wry_image_format **format);

/*
 * The arguments REGION=FILE, OFFSET=FILE and FILE, with the options about images. Free wanted's
 * images with station_free_images. EXIT_DONE or the code of app_fail.
 */
int station_parse_images(struct app *app, struct wry_images_wanted *wanted);
void station_free_images(struct wry_images_wanted *wanted);

/* EXIT_DONE, or the code of the station's problem, which is told. */
int station_conclude(struct app *app, enum wry_outcome outcome);

#endif
