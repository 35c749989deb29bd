/*
 * The shelf: images that this computer keeps by content, and which of them fit a board.
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

struct wry_shelf_item {
    uint8_t sha256[WRY_SHA256_SIZE]; /* of the file */
    char *path;                      /* where the shelf keeps it */
    char *name, *version;            /* "tide-gauge", "2.3.1"; version may be "" */
    char *file;                      /* the name that it came with */
    char *added;                     /* UTC, ISO 8601 */
    uint64_t size;                   /* bytes of content */
    bool is_table;                   /* a region table; else a program with a boot header */
    bool preferred;
    uint16_t chip_code;                   /* 0 = any: tables do not say */
    uint32_t flash_size;                  /* bytes that it was built for; 0 = any */
    uint8_t kind;                         /* enum wry_program_kind of a program */
    bool only_upgrade;                    /* for boards that have a program already */
    uint8_t body_sha256[WRY_SHA256_SIZE]; /* of a program's body */
};

void wry_shelf_item_free(struct wry_shelf_item *item);

enum wry_shelf_fit {
    WRY_SHELF_FITS, /* into *region */
    WRY_SHELF_OTHER_CHIP,
    WRY_SHELF_LARGER_FLASH,
    WRY_SHELF_NO_REGION, /* none of its kind */
    WRY_SHELF_TOO_LARGE, /* for every region of its kind */
};

/* layout: of the board. region may be NULL; where several fit, it is the first of them. */
enum wry_shelf_fit wry_shelf_judge(const struct wry_shelf_item *item, const struct wry_chip *chip,
                                   uint32_t flash_size, const struct wry_region_table *layout,
                                   const struct wry_region **region);

/* folder: NULL = the user's. NULL with the reason when it cannot be read. Free with
 * g_ptr_array_unref. */
GPtrArray *wry_shelf_items(const char *folder, GError **error);

/* What became of one file. */
enum wry_shelf_outcome {
    WRY_SHELF_ADDED,
    WRY_SHELF_HAD,     /* the same content is there */
    WRY_SHELF_REFUSED, /* reason says why */
};

struct wry_shelf_report {
    enum wry_shelf_outcome outcome;
    const char *path;                  /* of the file, or ZIP and member */
    const struct wry_shelf_item *item; /* NULL when it was refused */
    const char *reason;
};

/*
 * Adds a file, the files of a folder and its folders, or those of a ZIP. Each is told. False with
 * the reason when the shelf or the folder cannot be used; a file that is refused is no such reason.
 */
gboolean wry_shelf_add(const char *folder, const char *path,
                       void (*tell)(void *context, const struct wry_shelf_report *told),
                       void *context, GError **error);

/*
 * Marks the image as the one that is taken where several of its name fit, or takes it from the
 * shelf. name: "tide-gauge" or "tide-gauge 2.3.1"; it must be one alone.
 */
gboolean wry_shelf_prefer(const char *folder, const char *name, GError **error);
gboolean wry_shelf_remove(const char *folder, const char *name, GError **error);

#ifdef __cplusplus
}
#endif

#endif
