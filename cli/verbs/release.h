/*
 * Releases: folders and ZIP files of images, given without a place. The programs and the region
 * table that fit the board are taken, each for its region. What does not fit is listed, and if
 * several fit one region, none is guessed.
 *
 *     struct release release = {0};
 *     code = release_expand(app, &options, &release);
 *     ... write the options ...
 *     release_clear(&release);
 */
#pragma once

#include "station_options.h"

struct release {
    char *folder; /* unpacked images, removed at the end; NULL = none */
    GPtrArray *strings;
};

/* True for a folder, and for a ZIP that is neither a backup nor a kit. */
bool release_is_one(const char *file);

/*
 * Replaces each release among the images by the images that are taken from it. Connects to the
 * board, unless the options name a chip and a flash. EXIT_DONE, or app_fail's code; release_clear
 * is needed in any case, after the options' last use.
 */
int release_expand(struct app *app, struct wry_images_options *options, struct release *release);
void release_clear(struct release *release);
