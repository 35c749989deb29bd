/* One image file: opened, its boot header read, its content as readers. */
#ifndef WRY_JOBS_IMAGE_H
#define WRY_JOBS_IMAGE_H

#include "report.h"
#include "store/image_file.h"
#include "wrytograph-host/jobs.h"

struct image {
    struct wry_planned_image facts;
    char *place; /* as given; NULL when the file carries its own addresses */
    struct image_file *file;
    struct wry_region region;                   /* that facts.region points to */
    uint32_t header_at;                         /* the address at which the header stands */
    uint8_t header_bytes[WRY_BOOT_HEADER_SIZE]; /* as written */
};

/* One stretch of an image, as a reader sees it. */
struct image_piece {
    const struct image *image;
    uint32_t address;
};

/* must_be_whole: a damaged or cut image is refused; to compare, any content will do. */
enum wry_outcome image_open(struct wry_station *station, struct image *image,
                            const struct wry_image_wanted *wanted,
                            const enum wry_image_format *format, bool must_be_whole);
void image_close(struct image *image);

/* True when its place is an offset. */
bool image_has_offset(const struct image *image);

/* Puts it there: fills in where it begins and ends. */
void image_place(struct image *image, uint32_t base);

/* Content as it is written: the header as it was set. piece outlives the reader. */
struct wry_reader image_reader(struct image_piece *piece);

/* Whether the body fits the SHA-256 that stands behind it; at is the address of the header. */
bool image_body_is_whole(const struct image_file *file, uint32_t at,
                         const struct wry_boot_header *header);

/* All of a file's stretches in one digest, in order of address. False when it cannot be read. */
bool image_digest(const struct image_file *file, uint8_t sha256[WRY_SHA256_SIZE]);

#endif
