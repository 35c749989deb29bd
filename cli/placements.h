/*
 * Placements from the command line: REGION=FILE, OFFSET=FILE, or a FILE that carries its own
 * addresses; opened, checked and laid out as a plan.
 */
#ifndef WRY_CLI_PLACEMENTS_H
#define WRY_CLI_PLACEMENTS_H

#include "app.h"
#include "regions.h"
#include "store/image_file.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/plan.h"

enum placements_use {
    PLACEMENTS_WRITE,   /* images must be whole and fit the board */
    PLACEMENTS_COMPARE, /* any content will do: nothing is changed by it */
};

/* One image file and where it goes. */
struct image {
    char *place; /* what stands before the '='; NULL when the file carries its own addresses */
    struct image_file *file;
    const struct wry_region *region; /* when place names one */
    uint32_t base;                   /* flash offset of the file's address 0 */
    bool has_header;
    bool header_set;    /* its flash size was set to that of the board */
    uint32_t header_at; /* the address at which it stands */
    struct wry_boot_header header;
    uint8_t header_bytes[WRY_BOOT_HEADER_SIZE]; /* as written */
};

struct placements {
    enum placements_use use;
    size_t image_count;
    struct image *images;
    size_t count;                /* of items: an image with gaps has several */
    struct wry_placement *items; /* sorted once planned; label points to the image */
    struct piece *pieces;        /* what the items' readers work on */
    struct wry_plan plan;
};

/* Opens what the arguments name; EXIT_DONE or the code of app_fail. Call placements_free always. */
int placements_open(struct app *app, struct placements *placements, char **arguments,
                    enum placements_use use);

/* Checks images and places against the target, before anything is touched; loads the layout. */
int placements_plan(struct app *app, struct placements *placements, const struct target *target);

/* The three steps that write and verify begin with: open, connect, plan against the board. */
int placements_prepare(struct app *app, struct placements *placements, enum placements_use use);

/* The image of the i-th placement in order of offset. */
const struct image *placements_image(const struct placements *placements, size_t i);

/* Flash offset at which the image's content begins, and bytes from there to its end. */
uint32_t placements_image_start(const struct image *image);
uint64_t placements_image_span(const struct image *image);

/* "0x004000, 0x00E000"; free with g_free. */
char *placements_offsets(const struct placements *placements);

void placements_add_json(struct app *app, const struct placements *placements);

void placements_free(struct placements *placements);

/* Whether a program stands in a region for programs, and fits it. EXIT_DONE or app_fail's code. */
int image_check_region(struct app *app, const struct image *image, enum placements_use use);

/* image_checks.c: the boot header when the file is opened, and image against target. */
int image_read_header(struct app *app, struct image *image, enum placements_use use);
int image_check(struct app *app, struct image *image, const struct target *target,
                enum placements_use use);

#endif
