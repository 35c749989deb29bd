/* The images on the shelf, as a table. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/shelf.h"

/* The board to judge by. */
struct shelf_board {
    bool known; /* the other members are valid */
    const struct wry_chip *chip;
    uint32_t flash_size;
    struct wry_region_table layout;
};

/* Counts of added files. */
struct shelf_tally {
    const struct app *app;
    unsigned added, had, refused;
};

/* Prints a line per file; context is a struct shelf_tally. Between begin and end. */
void shelf_table_begin(const struct app *app);
void shelf_table_tell(void *context, const struct wry_shelf_report *told);
void shelf_table_end(const struct app *app);

void shelf_table_print(const struct app *app, const GPtrArray *items,
                       const struct shelf_board *board);
