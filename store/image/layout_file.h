/*
 * Layout files: the regions of a flash as YAML (docs/layout-file.md).
 *
 *     chip: turnstone-t2
 *     regions:
 *       - {name: app, kind: app, offset: 0x40000, length: 1536K}
 *       - {name: log, kind: files, offset: 0x1C0000, length: rest}
 */
#pragma once

#include <glib.h>
#include <stdbool.h>

#include "wrytograph/layout.h"

struct layout_file {
    const struct wry_chip *chip; /* NULL if the file names none */
    struct wry_region_table layout;
    bool open_ended; /* a region extends to the end of the flash, whatever its size */
};

/*
 * flash_size: of the board at hand, which "rest" and the end of the flash refer to; 0 when no board
 * is known, and then regions may lie anywhere in the largest flash. Errors name the line.
 */
gboolean layout_file_load(const char *path, uint32_t flash_size, struct layout_file *file,
                          GError **error);

/* The settings description that a layout names: resolved, a path from where the program runs, else
 * as written. NULL if it names none, or cannot be read. Free with g_free. */
char *layout_file_settings_description(const char *path, bool resolved);
