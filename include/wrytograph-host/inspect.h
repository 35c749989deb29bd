/*
 * What a file contains, without a board: an image, a backup archive, a card, a layout, a chip,
 * steps or settings.
 *
 *     struct wry_inspection inspection = {0};
 *     GError *error = NULL;
 *     if (wry_inspect_file("gauge.bin", NULL, &inspection, &error))
 *         puts(inspection.whole ? "whole" : "damaged");
 *     wry_inspection_clear(&inspection);
 */
#ifndef WRYTOGRAPH_HOST_INSPECT_H
#define WRYTOGRAPH_HOST_INSPECT_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph-host/content.h"
#include "wrytograph-host/jobs.h"
#include "wrytograph/module_image.h"

#ifdef __cplusplus
extern "C" {
#endif

/* "raw binary", "Intel HEX" or "S-record". */
const char *wry_image_format_title(enum wry_image_format format);
/* The format named "raw", "hex" or "srec"; NULL for other names. */
const enum wry_image_format *wry_image_format_by_name(const char *name);

enum wry_file_kind {
    WRY_FILE_IMAGE,
    WRY_FILE_ARCHIVE,
    WRY_FILE_LAYOUT,
    WRY_FILE_SETTINGS,
    WRY_FILE_STEPS,
    WRY_FILE_CARD, /* a card or a kit */
    WRY_FILE_CHIP, /* a chip file */
};

/* The kind of a file, by its beginning. A file of no other kind, and one that cannot be read,
 * counts as an image. */
enum wry_file_kind wry_file_kind_of(const char *path);

enum wry_header_state {
    WRY_HEADER_NONE,
    WRY_HEADER_DAMAGED,
    WRY_HEADER_FITS, /* the CRC-32 is correct */
};

struct wry_inspected_range {
    uint32_t offset; /* flash offset; in an image, address */
    uint32_t length;
    uint8_t sha256[WRY_SHA256_SIZE]; /* archives only */
};

struct wry_inspection {
    enum wry_file_kind kind;
    bool whole;      /* undamaged, by the checksums in the file */
    GArray *ranges;  /* struct wry_inspected_range, sorted; NULL for layouts */
    bool has_layout; /* layouts, archives, images that are a region table, and chips with a usual
                        layout: that of their smallest flash */
    bool open_ended; /* the last region extends to the end of any flash */
    struct wry_region_table layout;
    const struct wry_chip *chip; /* archives, layouts, chip files; NULL: any, or unknown */

    /* Archives. */
    uint8_t address[WRY_EUI48_SIZE];
    uint32_t flash_size; /* bytes */
    char *created, *tool;
    GPtrArray *contents; /* struct wry_content_of, by offset */

    /* Images. */
    enum wry_image_format format;
    uint64_t content_bytes;
    uint8_t sha256[WRY_SHA256_SIZE]; /* SHA-256 of the content in order of address */
    enum wry_header_state header_state;
    struct wry_boot_header header;

    GPtrArray *settings;      /* struct wry_shown_setting; settings files, blocks */
    guint step_count;         /* steps files */
    enum wry_content content; /* raw images without a header: what they certainly are instead */
    bool blank;               /* images: nothing but erased flash, all 0xFF */
    struct wry_module_image module; /* images of modules: content is WRY_CONTENT_MODULE */
};

/*
 * Inspects a file. format: read it in this format; NULL: detect the format. False with error if the
 * file cannot be read or is too damaged.
 */
gboolean wry_inspect_file(const char *path, const enum wry_image_format *format,
                          struct wry_inspection *inspection, GError **error);

/* Frees the members. It may be called again. */
void wry_inspection_clear(struct wry_inspection *inspection);

#ifdef __cplusplus
}
#endif

#endif
