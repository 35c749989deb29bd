/* What settings blocks hold, and what changes in them, for display. */
#pragma once

#include "jobs/station/flash_reader.h"
#include "store/image/settings_description.h"
#include "wrytograph-host/settings.h"

/* Adds a block to the result. before: NULL if there was none. */
void settings_lines_add(struct wry_settings_result *result, const struct wry_region *region,
                        uint32_t generation, const struct settings *before,
                        const struct settings *after,
                        const struct settings_description *description);

/* A block in a region. */
struct settings_found {
    struct wry_region region;
    unsigned slot;
    uint32_t generation;
    struct settings *settings;
};

/*
 * Finds the blocks of a layout: of the regions for settings, or of the named one alone. struct
 * settings_found; free with g_ptr_array_unref. NULL if the flash cannot be read. damaged: set to
 * the first region with a damaged block, if there is one; its name is "" otherwise.
 */
GPtrArray *settings_lines_find(struct flash_reader *reader, const struct wry_region_table *layout,
                               const char *name, struct wry_region *damaged);
