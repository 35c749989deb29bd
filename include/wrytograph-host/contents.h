/*
 * What the regions of a flash hold: programs by name and version, the region table, settings,
 * archives. Of a board, or of a backup of one.
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

/* As far as was looked: at the beginning of a region, of both copies of a settings block, and at
 * all of a program whose digest was checked. */
enum wry_holds {
    WRY_HOLDS_UNREAD, /* a backup of parts has it not */
    WRY_HOLDS_BLANK,  /* where it begins, it is blank */
    WRY_HOLDS_PROGRAM,
    WRY_HOLDS_DAMAGED_PROGRAM, /* a boot header that is damaged, or promises more than fits */
    WRY_HOLDS_TABLE,
    WRY_HOLDS_DAMAGED_TABLE,
    WRY_HOLDS_SETTINGS,
    WRY_HOLDS_DAMAGED_SETTINGS,
    WRY_HOLDS_ARCHIVE, /* a tar archive */
    WRY_HOLDS_OTHER,   /* something else */
};

enum wry_digest_state {
    WRY_DIGEST_UNCHECKED, /* it would have taken too long */
    WRY_DIGEST_FITS,
    WRY_DIGEST_DIFFERS,
};

/* One setting as it may be shown. */
struct wry_shown_setting {
    char *key, *value; /* the value of a secret one is not here: "********" */
};

struct wry_content_of {
    struct wry_region region;
    enum wry_holds holds;
    struct wry_boot_header header; /* WRY_HOLDS_PROGRAM */
    enum wry_digest_state digest;  /* of its body */
    char *on_shelf;      /* a program's name there: the same body, by its digest; NULL = none */
    GPtrArray *settings; /* struct wry_shown_setting; WRY_HOLDS_SETTINGS */
    uint32_t generation; /* of the settings block */
};

#ifdef __cplusplus
}
#endif

#endif
