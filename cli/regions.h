/* Region names and ranges, as the flash at hand has them. */
#ifndef WRY_CLI_REGIONS_H
#define WRY_CLI_REGIONS_H

#include "app.h"

/* The flash that work is planned for: that of the board on the link, or one described by options.
 */
struct target {
    const struct wry_chip *chip; /* NULL when unknown */
    uint32_t flash_size;         /* bytes */
    bool on_link;
};

struct target regions_target(const struct app *app);

/*
 * Fills app->layout: from --layout, else from the region table in the board's flash, else the one
 * the chip is delivered with. EXIT_DONE or the code of app_fail.
 */
int regions_load(struct app *app, const struct target *target);

/* The region of that name; NULL after app_fail, which lists the names there are. */
const struct wry_region *regions_find(struct app *app, const char *name);

/* "all", a region's name, or OFFSET+LENGTH. EXIT_DONE or the code of app_fail. */
int regions_parse_range(struct app *app, const struct target *target, const char *text,
                        uint32_t *offset, uint32_t *length);

/* Adds the layout to the JSON result. */
void regions_add_json(struct app *app);

#endif
