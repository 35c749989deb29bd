/* What is on the shelf, as a table. */
#ifndef WRY_CLI_SHELF_TABLE_H
#define WRY_CLI_SHELF_TABLE_H

#include "app/app.h"
#include "wrytograph-host/shelf.h"

/* What is asked whether it fits. */
struct shelf_board {
    bool known; /* else nothing is */
    const struct wry_chip *chip;
    uint32_t flash_size;
    struct wry_region_table layout;
};

/* What became of what was added. */
struct shelf_tally {
    const struct app *app;
    unsigned added, had, refused;
};

/* A line for each file; context is a struct shelf_tally. Between begin and end. */
void shelf_table_begin(const struct app *app);
void shelf_table_tell(void *context, const struct wry_shelf_report *told);
void shelf_table_end(const struct app *app);

void shelf_table_print(const struct app *app, const GPtrArray *items,
                       const struct shelf_board *board);

#endif
