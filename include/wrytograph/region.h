/*
 * Regions: named ranges of flash with a purpose.
 *
 *     printf("%s is for %s", region->name, wry_region_kind_name(region->kind));
 */
#ifndef WRYTOGRAPH_REGION_H
#define WRYTOGRAPH_REGION_H

#include <stdbool.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_REGION_MAX 32u       /* most regions of one flash */
#define WRY_REGION_NAME_SIZE 16u /* bytes of a name, without the NUL */

enum wry_region_kind {
    WRY_REGION_START = 1,    /* the program that the boot ROM starts */
    WRY_REGION_TABLE = 2,    /* the region table itself */
    WRY_REGION_APP = 3,      /* an application */
    WRY_REGION_SETTINGS = 4, /* calibration, identity, key-value settings */
    WRY_REGION_FILES = 5,    /* a file system or other data */
};

struct wry_region {
    char name[WRY_REGION_NAME_SIZE + 1]; /* see wry_region_name_is_fit; ends with NUL */
    uint8_t kind;                        /* enum wry_region_kind */
    uint32_t offset, length;             /* bytes, multiples of a sector */
};

/* The regions of one flash. */
struct wry_region_table {
    uint32_t flash_size; /* bytes of flash that it was made for; 0 = any */
    uint32_t count;
    struct wry_region regions[WRY_REGION_MAX];
};

/*
 * True for a valid name: a letter, then letters, digits, '-' and '_', at most WRY_REGION_NAME_SIZE
 * characters. "all" and "rest" are reserved words of commands and cards.
 */
bool wry_region_name_is_fit(const char *name);

/* "start", "table", "app", "settings" or "files"; "unknown" for other values. Never NULL. */
const char *wry_region_kind_name(uint8_t kind);

/* The kind with this name; 0 if there is none. */
uint8_t wry_region_kind_by_name(const char *name);

#ifdef __cplusplus
}
#endif

#endif
