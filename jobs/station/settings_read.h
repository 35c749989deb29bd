/* Reads the current settings block of a region, from one of its two slots. */
#pragma once

#include "jobs/station/flash_reader.h"
#include "wrytograph/region.h"
#include "wrytograph/settings_block.h"

struct settings_copy {
    bool found;    /* bytes has a valid block */
    bool damaged;  /* a slot has a damaged block */
    unsigned slot; /* 0 or 1 */
    struct wry_settings_head head;
    uint8_t *bytes; /* free with g_free */
};

/* False if the flash cannot be read. */
bool settings_read(struct flash_reader *reader, const struct wry_region *region,
                   struct settings_copy *found);
