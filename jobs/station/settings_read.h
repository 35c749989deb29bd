/* The settings block of a region: which of its two copies counts. */
#ifndef WRY_JOBS_SETTINGS_READ_H
#define WRY_JOBS_SETTINGS_READ_H

#include "jobs/station/flash_reader.h"
#include "wrytograph/region.h"
#include "wrytograph/settings_block.h"

struct settings_copy {
    bool found;    /* bytes hold a sound block */
    bool damaged;  /* a copy begins as one does and is not sound */
    unsigned slot; /* 0 or 1 */
    struct wry_settings_head head;
    uint8_t *bytes; /* g_free */
};

/* False when the flash could not be read. */
bool settings_read(struct flash_reader *reader, const struct wry_region *region,
                   struct settings_copy *found);

#endif
