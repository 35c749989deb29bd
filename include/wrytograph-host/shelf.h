/*
 * The shelf: the images that this computer stores by content, and which of them fit a board.
 *
 *     g_autoptr(GPtrArray) items = wry_shelf_items(NULL, &error);
 *     for (guint i = 0; items && i < items->len; i++) {
 *         const struct wry_shelf_item *item = g_ptr_array_index(items, i);
 *         if (wry_shelf_judge(item, chip, flash_size, &layout, &region) == WRY_SHELF_FITS)
 *             puts(item->name);
 *     }
 */
#ifndef WRYTOGRAPH_HOST_SHELF_H
#define WRYTOGRAPH_HOST_SHELF_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph-host/planned.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The image of a module (wrytograph/module_image.h), which no region is for. */
#define WRY_SHELF_MODULE 0x80u

struct wry_shelf_item {
    uint8_t sha256[WRY_SHA256_SIZE]; /* SHA-256 of the file */
    char *path;                      /* its path on the shelf */
    char *name, *version;            /* "tide-gauge", "2.3.1"; version may be "" */
    char *file;                      /* the original file name */
    char *added;                     /* UTC, ISO 8601 */
    uint64_t size;                   /* bytes of content */
    bool is_table;                   /* a region table; otherwise a program with a boot header */
    bool preferred;
    uint16_t chip_code;                   /* 0 = any, as for region tables */
    uint32_t flash_size;                  /* bytes of flash that it was built for; 0 = any */
    uint8_t kind;                         /* programs: enum wry_program_kind, or
                                             WRY_SHELF_MODULE */
    bool only_upgrade;                    /* an upgrade: of no use on a board without a program */
    uint8_t body_sha256[WRY_SHA256_SIZE]; /* SHA-256 of a program's body */
    char *settings_description;           /* path of the description of its settings; NULL = none */
};

void wry_shelf_item_free(struct wry_shelf_item *item);

enum wry_shelf_fit {
    WRY_SHELF_FITS, /* it fits *region */
    WRY_SHELF_OTHER_CHIP,
    WRY_SHELF_LARGER_FLASH,
    WRY_SHELF_NO_REGION,  /* the layout has no region for it */
    WRY_SHELF_TOO_LARGE,  /* too large for every region of its kind */
    WRY_SHELF_FOR_MODULE, /* for a module behind the board */
};

/* Judges an image for a board. layout: the board's. region may be NULL; if several regions fit, it
 * is the first of them. */
enum wry_shelf_fit wry_shelf_judge(const struct wry_shelf_item *item, const struct wry_chip *chip,
                                   uint32_t flash_size, const struct wry_region_table *layout,
                                   const struct wry_region **region);

/* Lists the shelf. folder: NULL = the user's. Free with g_ptr_array_unref. NULL with error. */
GPtrArray *wry_shelf_items(const char *folder, GError **error);

/* The name that finds this image alone among items: name and version, and if several share them,
 * the first 8 digits of its SHA-256: "tide-gauge 2.3.1 472de6e8". Free with g_free. */
char *wry_shelf_item_title(const struct wry_shelf_item *item, const GPtrArray *items);

/* What happened to one file. */
enum wry_shelf_outcome {
    WRY_SHELF_ADDED,
    WRY_SHELF_HAD,     /* the shelf already has this content */
    WRY_SHELF_REFUSED, /* not accepted: reason */
};

struct wry_shelf_report {
    enum wry_shelf_outcome outcome;
    const char *path;                  /* path of the file, or of ZIP and member */
    const struct wry_shelf_item *item; /* NULL if it was refused */
    const char *reason;
};

/*
 * Adds a file, the files of a folder and its subfolders, or those of a ZIP, and reports each one.
 * False with error if the shelf or the folder cannot be used; a refused file is not an error.
 */
gboolean wry_shelf_add(const char *folder, const char *path,
                       void (*tell)(void *context, const struct wry_shelf_report *told),
                       void *context, GError **error);

/*
 * Keeps a copy of a settings description (docs/settings-description.md) with a program, in place of
 * the one that it had. name: as below. False with error if the file is not one.
 */
gboolean wry_shelf_describe(const char *folder, const char *name, const char *path, GError **error);

/*
 * wry_shelf_prefer marks an image as the one to use if several with its name fit; wry_shelf_remove
 * deletes it. name: "tide-gauge", "tide-gauge 2.3.1" or a title as above; it must match one image
 * only.
 */
gboolean wry_shelf_prefer(const char *folder, const char *name, GError **error);
gboolean wry_shelf_remove(const char *folder, const char *name, GError **error);

#ifdef __cplusplus
}
#endif

#endif
