/*
 * Image files: raw binary, Intel HEX or S-record, opened and read at random without ever being held
 * in memory. The text formats are parsed once into a spool.
 *
 *     struct image_file *image = image_file_open("gauge.hex", IMAGE_FILE_DETECT, &error);
 *     for (guint i = 0; i < image->extents->len; i++)
 *         show(&g_array_index(image->extents, struct image_extent, i));
 *     image_file_free(image);
 */
#ifndef WRY_STORE_IMAGE_FILE_H
#define WRY_STORE_IMAGE_FILE_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/image.h"

#define IMAGE_FILE_DETECT (-1)

/* A stretch of content without gaps. */
struct image_extent {
    uint32_t address; /* 0 for raw binary */
    uint32_t length;
};

struct image_file {
    char *path;
    const char *name; /* the last part of path */
    enum wry_image_format format;
    uint64_t file_length; /* bytes of the file itself */
    uint64_t length;      /* bytes of content */
    GArray *extents;      /* struct image_extent, by rising address, never touching */
    bool has_start;
    uint32_t start; /* start address that the file names */
    int file;       /* raw: the file; else -1 */
    struct spool *spool;
};

/* format: an enum wry_image_format, or IMAGE_FILE_DETECT. NULL with a message that names line and
 * cause; an empty file and one without content are errors. */
struct image_file *image_file_open(const char *path, int format, GError **error);
void image_file_free(struct image_file *image);

/* n bytes from address on, all within one extent. */
bool image_file_read(const struct image_file *image, uint32_t address, uint8_t *to, size_t n);

/* "raw binary", "Intel HEX" or "S-record". */
const char *image_format_title(enum wry_image_format format);
/* "raw", "hex" or "srec"; false when it is none of them. */
bool image_format_parse(const char *text, int *format);

#endif
