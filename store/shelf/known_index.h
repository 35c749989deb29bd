/*
 * The index of known content: which sector digests stand in which files of this computer.
 *
 * One SQLite file in the cache folder holds digests, paths and places, never content, and is
 * bounded in size. It is a by-product: when it is deleted, or cannot be used, nothing is lost but
 * time.
 *
 *     struct known_index *index = known_index_open(folder, stop, &error);
 *     known_index_add(index, "/home/a/gauge.bin", KNOWN_PLAIN, sectors, count);
 *     known_index_find(index, sum, on_spot, context);
 */
#ifndef WRY_STORE_KNOWN_INDEX_H
#define WRY_STORE_KNOWN_INDEX_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph-host/stop.h"

enum {
    KNOWN_SECTORS_MOST = 400000, /* of the index: some 20 MB */
    KNOWN_SPOTS_MOST = 4,        /* files that one digest is remembered of */
};

enum known_kind {
    KNOWN_PLAIN,   /* content from the file's first byte on */
    KNOWN_ARCHIVE, /* a backup archive: content by flash offset */
};

struct known_index;

/* The folder named by WRYTOGRAPH_CACHE, else one in the XDG cache folder. Free with g_free. */
char *known_default_folder(void);

/* known.db in that folder, made when missing. */
struct known_index *known_index_open(const char *folder, struct wry_stop stop, GError **error);
void known_index_close(struct known_index *index);

/* A sector's digest (the first 8 bytes of its SHA-256) and where it begins in the file. */
struct known_sector {
    uint64_t sum;
    uint32_t at;
};

/* Takes the place of what was known of that file. False when the index cannot be written. */
bool known_index_add(struct known_index *index, const char *path, enum known_kind kind,
                     const struct known_sector *sectors, size_t count);

/* Where content with a digest is to be had. */
struct known_spot {
    int64_t file; /* the index's number of it */
    const char *path;
    enum known_kind kind;
    uint32_t at;
};

/* Tells each place until told says that it is enough. */
void known_index_find(struct known_index *index, uint64_t sum,
                      bool (*told)(void *context, const struct known_spot *spot), void *context);

/* The file is gone, or is not what it was. */
void known_index_drop(struct known_index *index, int64_t file);

#endif
