/*
 * Image files: raw binary, Intel HEX or S-record, with random access and without loading them into
 * memory. Text formats are parsed once, into a spool.
 *
 *     struct image_file *image = image_file_open("gauge.hex", NULL, &error);
 *
 *     for (guint i = 0; i < image->extents->len; i++)
 *         show(&g_array_index(image->extents, struct image_extent, i));
 *     image_file_free(image);
 */
#pragma once

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/bytes.h"
#include "wrytograph/image.h"

/* A range of content without gaps. */
struct image_extent {
    uint32_t address; /* 0 for raw binary */
    uint32_t length;
};

struct image_file {
    char *path;
    const char *name; /* last component of path */
    enum wry_image_format format;
    uint64_t file_length;            /* bytes of the file */
    uint64_t length;                 /* bytes of content */
    GArray *extents;                 /* struct image_extent, sorted, not adjacent */
    uint8_t sha256[WRY_SHA256_SIZE]; /* raw: SHA-256 of the file when it was opened */
    int file;                        /* raw: descriptor of the file; otherwise -1 */
    struct image_ahead *ahead;       /* raw: read buffer */
    struct spool *spool;
};

/* Opens a file. format: NULL to detect it. NULL with an error that names line and cause; empty
 * files and files without content are errors. */
struct image_file *image_file_open(const char *path, const enum wry_image_format *format,
                                   GError **error);
/* Wraps content generated from path: the first length bytes of a spool, which it takes over. */
struct image_file *image_file_of_spool(const char *path, struct spool *spool, uint32_t length);
/* Detects the format; false if the file cannot be read. */
bool image_file_look(const char *path, enum wry_image_format *format);
void image_file_free(struct image_file *image);

/* True if it has n bytes from address on without a gap. */
bool image_file_has(const struct image_file *image, uint32_t address, uint32_t n);

/* Reads n bytes from address on, within one extent. */
bool image_file_read(const struct image_file *image, uint32_t address, uint8_t *to, size_t n);

/* True if the file has changed since it was opened, or can no longer be read. */
bool image_file_changed(const struct image_file *image);
