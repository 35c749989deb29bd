/* One image: its file, boot header, and content as readers. */
#pragma once

#include "jobs/station/station_problem.h"
#include "store/image/image_file.h"
#include "wrytograph-host/jobs.h"
#include "wrytograph/module_image.h"

struct settings;

/* prefix of file names on the shelf */
#define IMAGE_SHELF "shelf:"

struct image {
    struct wry_planned_image facts;
    char *place;                                /* as given; NULL if the file has addresses */
    char *path;                                 /* as given */
    struct image_file *file;                    /* NULL: on the shelf, not chosen yet */
    struct wry_region region;                   /* target of facts.region */
    uint32_t header_at;                         /* address of the header */
    uint8_t header_bytes[WRY_BOOT_HEADER_SIZE]; /* header bytes as written */
    struct wry_region_table table;              /* WRY_WHAT_TABLE */
    struct settings *settings;                  /* content of a settings file */
    GError *settings_error;                     /* or its error */
    GPtrArray *keys;                            /* target of facts.keys; NULL = none */
    GPtrArray *changes;                         /* target of facts.changes; NULL = none */
    char *settings_description;                 /* of an image from the shelf; NULL = none */
    char *shelf_name;                           /* target of facts.from_shelf */
};

/* Opens an image. must_be_whole: refuse damaged and truncated images; for a comparison any content
 * is accepted. */
struct wry_problem *image_open(struct image *image, const struct wry_image_options *options,
                               const enum wry_image_format *format, bool must_be_whole);

/* Takes over an open file, like image_open. */
struct wry_problem *image_take_file(struct image *image, struct image_file *file,
                                    bool must_be_whole);
void image_close(struct image *image);

/* True if its place is an offset. */
bool image_has_offset(const struct image *image);

/* True if it goes to the given place: a raw binary, or a file whose addresses begin at 0 and so
 * count from there. Others say themselves where they go. */
bool image_may_move(const struct image *image);

/* Sets its place: fills in its begin and end. */
void image_place(struct image *image, uint32_t base);

/* The content to write, with the header as set. piece must outlive the reader. */
struct image_piece {
    const struct image *image;
    uint32_t address; /* address of one extent */
};
struct wry_reader image_reader(struct image_piece *piece);

/* True if the body matches the SHA-256 after it; at is the address of the header. */
bool image_body_is_whole(const struct image_file *file, uint32_t at,
                         const struct wry_boot_header *header);
/* The same for the image of a module, by its CRC-32. */
bool image_module_is_whole(const struct image_file *file, uint32_t at,
                           const struct wry_module_image *module);

/* SHA-256 of all extents in order of address. False if the file cannot be read. */
bool image_digest(const struct image_file *file, uint8_t sha256[WRY_SHA256_SIZE]);
