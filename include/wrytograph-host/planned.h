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
    WRY_LAYOUT_SOURCE_UNKNOWN, /* no layout: no names to go by */
    WRY_LAYOUT_SOURCE_FILE,    /* the one the caller named */
    WRY_LAYOUT_SOURCE_BOARD,   /* the region table in its flash */
    WRY_LAYOUT_SOURCE_JOB,     /* a region table among what is written */
    WRY_LAYOUT_SOURCE_USUAL,   /* the one this chip is delivered with: a guess for this board */
};

struct wry_layout {
    enum wry_layout_source source;
    const char
        *file; /* WRY_LAYOUT_SOURCE_FILE, as long as the station lives; FROM_JOB, the result */
    struct wry_region_table table; /* count 0: none is known */
};

/* What a file was found to be. */
enum wry_image_what {
    WRY_WHAT_OTHER,    /* nothing that tells */
    WRY_WHAT_PROGRAM,  /* it has a boot header */
    WRY_WHAT_TABLE,    /* a region table */
    WRY_WHAT_SETTINGS, /* a settings block, made of a file or of what the board has */
    WRY_WHAT_FOLDER,   /* a folder, as a ustar archive */
};

/* What speaks against a place. Where the layout is the chip's usual one, it is a doubt; else the
 * job is refused, unless any place was wanted. */
enum wry_place_doubt {
    WRY_DOUBT_NONE,
    WRY_DOUBT_ACROSS,   /* it goes across an end of doubt_region */
    WRY_DOUBT_SETTINGS, /* it overwrites doubt_region, which holds settings */
    WRY_DOUBT_TABLE,    /* it lies over doubt_region, the region table's, and not exactly so */
};

/* One image file and where it goes. */
struct wry_planned_image {
    const char *path, *name; /* name is the last part of path */
    enum wry_image_what what;
    const char *from_shelf;            /* name and version there; NULL = it is not from the shelf */
    const char *const *keys;           /* settings: those that are set; ends with NULL */
    uint64_t length;                   /* bytes of content */
    uint32_t base;                     /* flash offset of the file's address 0 */
    uint32_t start;                    /* flash offset of its first byte */
    uint64_t span;                     /* bytes from there to its end, gaps included */
    const struct wry_region *region;   /* when its place was given by name, or found */
    bool place_found;                  /* by what its header says */
    uint32_t rest_offset, rest_length; /* behind it, made blank; length 0 = nothing */
    enum wry_place_doubt doubt;
    struct wry_region doubt_region;
    bool has_header;
    bool damaged;    /* a program that is not whole, by its header */
    bool header_set; /* the flash size in its header is set to that of the board */
    bool read_set;   /* read mode or clock in its header are set as wanted */
    struct wry_boot_header header;
};

/* A region that a new table puts elsewhere. */
struct wry_moved_region {
    struct wry_region from, to;
};

struct wry_planned {
    const struct wry_chip *chip; /* NULL: not known here */
    uint32_t flash_size;         /* bytes */
    struct wry_layout layout;
    const struct wry_moved_region *moved; /* by a region table in the job */
    size_t moved_count;
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
