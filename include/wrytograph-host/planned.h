/*
 * The plan of a job, checked against chip, flash and layout.
 *
 *     for (size_t i = 0; i < planned.image_count; i++)
 *         printf("%s at 0x%06X\n", planned.images[i]->name, planned.images[i]->start);
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
    WRY_LAYOUT_SOURCE_UNKNOWN, /* there is no layout, and no region names */
    WRY_LAYOUT_SOURCE_FILE,    /* the file that the caller named */
    WRY_LAYOUT_SOURCE_BOARD,   /* the region table in the flash */
    WRY_LAYOUT_SOURCE_JOB,     /* a region table that this job writes */
    WRY_LAYOUT_SOURCE_USUAL,   /* the usual one of this chip: a guess for this board */
};

struct wry_layout {
    enum wry_layout_source source;
    const char *file; /* its path with WRY_LAYOUT_SOURCE_FILE (valid as the station) and
                         WRY_LAYOUT_SOURCE_JOB (valid as the result) */
    struct wry_region_table table; /* count 0: unknown */
};

/* What a file contains. */
enum wry_image_what {
    WRY_WHAT_OTHER,    /* anything else */
    WRY_WHAT_PROGRAM,  /* a program with a boot header */
    WRY_WHAT_TABLE,    /* a region table */
    WRY_WHAT_SETTINGS, /* a settings block, made from a file or from the board's */
    WRY_WHAT_FOLDER,   /* a folder, as a ustar archive */
};

/* A doubt about a placement. With the chip's usual layout it is a warning; with any other layout
 * the job is refused unless any_place is set. */
enum wry_place_doubt {
    WRY_DOUBT_NONE,
    WRY_DOUBT_ACROSS,   /* it extends across an end of doubt_region */
    WRY_DOUBT_SETTINGS, /* it overwrites doubt_region, which holds settings */
    WRY_DOUBT_TABLE,    /* it covers the region table's region, doubt_region, not exactly */
};

/* One image file and where it goes. */
struct wry_planned_image {
    const char *path, *name; /* name: the last component of path */
    enum wry_image_what what;
    const char *from_shelf;          /* its name and version on the shelf; NULL = from elsewhere */
    const char *const *keys;         /* keys of the settings that are set; ends with NULL */
    uint64_t length;                 /* bytes of content */
    uint32_t base;                   /* flash offset of the file's address 0 */
    uint32_t start;                  /* flash offset of its first byte */
    uint64_t span;                   /* bytes from there to its last byte, gaps included */
    const struct wry_region *region; /* the region that was named or found; NULL = none */
    bool place_found;                /* the region was found by the file's header */
    uint32_t rest_offset, rest_length; /* range after it that is erased; length 0 = none */
    enum wry_place_doubt doubt;
    struct wry_region doubt_region;
    bool has_header;
    bool damaged;    /* a program that is incomplete, by its header */
    bool header_set; /* the flash size in its header was set to the board's */
    bool read_set;   /* read mode or clock in its header were set */
    struct wry_boot_header header;
    const char *const *changes; /* settings of the board that change, for display, such as
                                   "datum_mm: -1827 → -1801"; ends with NULL; NULL = none */
};

/* A region that the new table places elsewhere. */
struct wry_moved_region {
    struct wry_region from, to;
};

struct wry_planned {
    const struct wry_chip *chip; /* NULL: unknown */
    uint32_t flash_size;         /* bytes */
    struct wry_layout layout;
    const struct wry_moved_region *moved; /* regions moved by a region table in the job */
    size_t moved_count;
    size_t image_count;                            /* 0 for erase and restore */
    const struct wry_planned_image *const *images; /* in the order of the options */
    /* Labels of its placements: the image (write, verify), else the part as given. */
    struct wry_plan plan;
    uint32_t sectors;           /* sectors that it touches */
    uint32_t kept;              /* other bytes in these sectors, which are preserved */
    bool every_sector;          /* sectors with the right content are written as well */
    bool dry_run;               /* the job stops here */
    const char *archive;        /* restore: the file; NULL otherwise */
    const char *created, *tool; /* when and by which program it was made; NULL for a plain binary */
};

#ifdef __cplusplus
}
#endif

#endif
