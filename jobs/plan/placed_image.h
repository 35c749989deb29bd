/* One image: opened, its boot header read, its content as readers. */
#ifndef WRY_JOBS_PLACED_IMAGE_H
#define WRY_JOBS_PLACED_IMAGE_H

#include "jobs/station/station_problem.h"
#include "store/image/image_file.h"
#include "wrytograph-host/jobs.h"

struct settings;

/* In front of a name, the file is one of the shelf. */
#define IMAGE_SHELF "shelf:"

struct image {
    struct wry_planned_image facts;
    char *place;              /* as given; NULL when the file carries its own addresses */
    char *path;               /* as given */
    struct image_file *file;  /* NULL: on the shelf, and not chosen yet */
    struct wry_region region; /* that facts.region points to */
    uint32_t header_at;       /* the address at which the header stands */
    uint8_t header_bytes[WRY_BOOT_HEADER_SIZE]; /* as written */
    struct wry_region_table table;              /* WRY_WHAT_TABLE */
    struct settings *settings;                  /* of a settings file */
    GError *settings_error;                     /* or what is wrong with it */
    GPtrArray *keys;                            /* that facts.keys points to; NULL = none */
    char *shelf_name;                           /* that facts.from_shelf points to */
};

/* must_be_whole: a damaged or cut image is refused; to compare, any content will do. */
struct wry_problem *image_open(struct image *image, const struct wry_image_options *options,
                               const enum wry_image_format *format, bool must_be_whole);

/* Takes over a file that was opened elsewhere, as image_open does. */
struct wry_problem *image_take_file(struct image *image, struct image_file *file,
                                    bool must_be_whole);
void image_close(struct image *image);

/* True when its place is an offset. */
bool image_has_offset(const struct image *image);

/* Puts it there: fills in where it begins and ends. */
void image_place(struct image *image, uint32_t base);

/* Content as it is written: the header as it was set. piece outlives the reader. */
struct image_piece {
    const struct image *image;
    uint32_t address; /* of one stretch, as a reader sees it */
};
struct wry_reader image_reader(struct image_piece *piece);

/* Whether the body fits the SHA-256 that stands behind it; at is the address of the header. */
bool image_body_is_whole(const struct image_file *file, uint32_t at,
                         const struct wry_boot_header *header);

/* All of a file's stretches in one digest, in order of address. False when it cannot be read. */
bool image_digest(const struct image_file *file, uint8_t sha256[WRY_SHA256_SIZE]);

#endif
