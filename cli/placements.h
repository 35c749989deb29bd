/* Placements from the command line: OFFSET=FILE, opened, checked and laid out as a plan. */
#ifndef WRY_CLI_PLACEMENTS_H
#define WRY_CLI_PLACEMENTS_H

#include <stdio.h>

#include "app.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/plan.h"

enum placements_use {
    PLACEMENTS_WRITE,   /* images must be whole and fit the board */
    PLACEMENTS_COMPARE, /* any content will do: nothing is changed by it */
};

/* One image file. */
struct image {
    char *path;
    const char *name; /* the last part of path */
    FILE *file;
    uint32_t length;
    bool has_header;
    struct wry_boot_header header;
};

struct placements {
    enum placements_use use;
    size_t count;
    struct image *images;
    struct wry_placement *items; /* sorted once planned; label points to the image */
    struct wry_plan plan;
};

/* Opens what the arguments name; EXIT_DONE or the code of app_fail. Call placements_free always. */
int placements_open(struct app *app, struct placements *placements, char **arguments,
                    enum placements_use use);

/* Checks images and offsets against the board that is connected, before anything is touched. */
int placements_plan(struct app *app, struct placements *placements);

/* The image of the i-th placement in order of offset. */
const struct image *placements_image(const struct placements *placements, size_t i);

void placements_free(struct placements *placements);

#endif
