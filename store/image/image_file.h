/*
 * Image files: raw binary, Intel HEX or S-record, opened and read at random without ever being held
 * in memory. The text formats are parsed once into a spool.
 *
 *     struct image_file *image = image_file_open("gauge.hex", NULL, &error);
 *     for (guint i = 0; i < image->extents->len; i++)
 *         show(&g_array_index(image->extents, struct image_extent, i));
 *     image_file_free(image);
 */
#ifndef WRY_STORE_IMAGE_FILE_H
#define WRY_STORE_IMAGE_FILE_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/bytes.h"
#include "wrytograph/image.h"

/* A stretch of content without gaps. */
struct image_extent {
    uint32_t address; /* 0 for raw binary */
    uint32_t length;
};

struct image_file {
    char *path;
    const char *name; /* the last part of path */
    enum wry_image_format format;
    uint64_t file_length;            /* bytes of the file itself */
    uint64_t length;                 /* bytes of content */
    GArray *extents;                 /* struct image_extent, by rising address, never touching */
    uint8_t sha256[WRY_SHA256_SIZE]; /* raw: of the file when it was opened */
    int file;                        /* raw: the file; else -1 */
    struct image_ahead *ahead;       /* raw: what was read of it last */
    struct spool *spool;
};

/* format: NULL to go by the content. NULL with a message that names line and
 * cause; an empty file and one without content are errors. */
struct image_file *image_file_open(const char *path, const enum wry_image_format *format,
                                   GError **error);
/* Content that was made of path: length bytes from the spool's start, which it takes over. */
struct image_file *image_file_of_spool(const char *path, struct spool *spool, uint32_t length);
/* What the file's first bytes make it: false when it cannot be read. */
bool image_file_look(const char *path, enum wry_image_format *format);
void image_file_free(struct image_file *image);

/* True when it has n bytes of content from address on without a gap. */
bool image_file_has(const struct image_file *image, uint32_t address, uint32_t n);

/* n bytes from address on, all within one extent. */
bool image_file_read(const struct image_file *image, uint32_t address, uint8_t *to, size_t n);

/* True when the file holds other content than when it was opened, or cannot be read any more. */
bool image_file_changed(const struct image_file *image);

#endif
