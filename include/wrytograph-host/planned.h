/*
 * What a job is about to do, checked against chip, flash and layout.
 *
 *     for (size_t i = 0; i < planned.image_count; i++)
 *         printf("%s at 0x%06X\n", planned.images[i].name, planned.images[i].start);
 */
#ifndef WRYTOGRAPH_HOST_PLANNED_H
#define WRYTOGRAPH_HOST_PLANNED_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/boot_header.h"
#include "wrytograph/chip.h"
#include "wrytograph/plan.h"
#include "wrytograph/region.h"

#ifdef __cplusplus
extern "C" {
#endif

enum wry_layout_source {
    WRY_LAYOUT_UNKNOWN,    /* no layout: no names to go by */
    WRY_LAYOUT_FROM_FILE,  /* the one the caller named */
    WRY_LAYOUT_FROM_BOARD, /* the region table in its flash */
    WRY_LAYOUT_USUAL,      /* the one this chip is delivered with: a guess for this board */
};

struct wry_layout {
    enum wry_layout_source source;
    const char *file;              /* WRY_LAYOUT_FROM_FILE: as long as the station lives */
    struct wry_region_table table; /* count 0: none is known */
};

/* One image file and where it goes. */
struct wry_planned_image {
    const char *path, *name;         /* name is the last part of path */
    uint64_t length;                 /* bytes of content */
    uint32_t base;                   /* flash offset of the file's address 0 */
    uint32_t start;                  /* flash offset of its first byte */
    uint64_t span;                   /* bytes from there to its end, gaps included */
    const struct wry_region *region; /* when its place was given by name */
    bool has_header;
    bool header_set; /* the flash size in its header is set to that of the board */
    struct wry_boot_header header;
};

struct wry_planned {
    const struct wry_chip *chip; /* NULL: not known here */
    uint32_t flash_size;         /* bytes */
    struct wry_layout layout;
    size_t image_count;                            /* 0 for erase and restore */
    const struct wry_planned_image *const *images; /* in the order given */
    /* Placements' labels: the image (write, verify), else the part as it was given. */
    struct wry_plan plan;
    uint32_t sectors;           /* that hold it */
    uint32_t kept;              /* bytes beside it in these sectors, which stay as they are */
    bool every_sector;          /* also those that are right already are written */
    bool dry_run;               /* the job ends here */
    const char *archive;        /* restore: the file; NULL otherwise */
    const char *created, *tool; /* when that was made, and by what; NULL for a plain binary */
};

#ifdef __cplusplus
}
#endif

#endif
