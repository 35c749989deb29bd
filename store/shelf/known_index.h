/*
 * The index of known content: which sector digests occur in which files of this computer.
 *
 * One SQLite file in the cache folder with digests, paths and positions, but no content, of limited
 * size. It is only a cache: deleting it costs time.
 *
 *     struct known_index *index = known_index_open(folder, stop, &error);
 *     known_index_add(index, "/home/a/gauge.bin", KNOWN_PLAIN, sectors, count);
 *     known_index_find(index, sum, on_spot, context);
 */
#pragma once

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph-host/stop.h"

enum {
    KNOWN_SECTORS_MOST = 400000, /* most sectors in the index, about 20 MB */
    KNOWN_SPOTS_MOST = 4,        /* most files per digest */
};

enum known_kind {
    KNOWN_PLAIN,   /* a plain file with content from its first byte on */
    KNOWN_ARCHIVE, /* a backup archive, with content by flash offset */
};

struct known_index;

/* The folder named by WRYTOGRAPH_CACHE, else one in the XDG cache folder. Free with g_free. */
char *known_default_folder(void);

/* Opens known.db in that folder, creating it if necessary. */
struct known_index *known_index_open(const char *folder, struct wry_stop stop, GError **error);
void known_index_close(struct known_index *index);

/* A sector's digest (the first 8 bytes of its SHA-256) and where it begins in the file. */
struct known_sector {
    uint64_t sum;
    uint32_t at;
};

/* Replaces the entries of that file. False if the index cannot be written. */
bool known_index_add(struct known_index *index, const char *path, enum known_kind kind,
                     const struct known_sector *sectors, size_t count);

/* Where content with a digest is found. */
struct known_spot {
    int64_t file; /* number of the file in the index */
    const char *path;
    enum known_kind kind;
    uint32_t at;
};

/* Calls told for each place until it returns false. */
void known_index_find(struct known_index *index, uint64_t sum,
                      bool (*told)(void *context, const struct known_spot *spot), void *context);

/* Removes a file that is gone or has changed. */
void known_index_drop(struct known_index *index, int64_t file);
