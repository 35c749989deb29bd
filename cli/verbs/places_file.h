/*
 * A table of places as text (--places): a line for each image, an offset or region and a file.
 *
 *     # offsets of the pier release
 *     0x4000   start.bin
 *     app      gauge.bin
 */
#pragma once

#include "app/app.h"

/* Adds the lines of app->places to the arguments as PLACE=FILE. Files are relative to the folder of
 * the table. EXIT_DONE or app_fail's code. */
int places_file_add(struct app *app);
