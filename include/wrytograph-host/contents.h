/*
 * What the regions of a flash contain: programs by name and version, the region table, settings,
 * archives; read from a board or from a backup.
 *
 *     for (guint i = 0; i < contents->len; i++) {
 *         const struct wry_content_of *content = g_ptr_array_index(contents, i);
 *         if (content->holds == WRY_HOLDS_PROGRAM)
 *             puts(content->header.version);
 *     }
 */
#ifndef WRYTOGRAPH_HOST_CONTENTS_H
#define WRYTOGRAPH_HOST_CONTENTS_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/boot_header.h"
#include "wrytograph/region.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Judged by the beginning of a region, by both slots of a settings region, and by the whole program
 * where its digest was checked. */
enum wry_holds {
    WRY_HOLDS_UNREAD, /* not in this partial backup */
    WRY_HOLDS_BLANK,  /* its beginning is blank */
    WRY_HOLDS_PROGRAM,
    WRY_HOLDS_DAMAGED_PROGRAM, /* the boot header is damaged, or longer than the region allows */
    WRY_HOLDS_TABLE,
    WRY_HOLDS_DAMAGED_TABLE,
    WRY_HOLDS_SETTINGS,
    WRY_HOLDS_DAMAGED_SETTINGS,
    WRY_HOLDS_ARCHIVE, /* a tar archive */
    WRY_HOLDS_OTHER,   /* something else */
};

enum wry_digest_state {
    WRY_DIGEST_UNCHECKED, /* skipped, since it would take long */
    WRY_DIGEST_FITS,
    WRY_DIGEST_DIFFERS,
};

/* A setting for display. */
struct wry_shown_setting {
    char *key, *value; /* the value of a secret one reads "********" */
};

struct wry_content_of {
    struct wry_region region;
    enum wry_holds holds;
    struct wry_boot_header header; /* WRY_HOLDS_PROGRAM */
    enum wry_digest_state digest;  /* whether the digest fits its body */
    char *on_shelf; /* name of the same program (by its body's digest) on the shelf; NULL = none */
    GPtrArray *settings; /* struct wry_shown_setting; WRY_HOLDS_SETTINGS */
    uint32_t generation; /* generation of the settings block */
};

#ifdef __cplusplus
}
#endif

#endif
