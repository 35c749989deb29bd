/*
 * Backup archives in memory: the board, the ranges, and their content in a spool.
 *
 *     struct archive *archive = archive_new();
 *     archive->content = spool_new(folder, &error);
 *     g_array_append_val(archive->ranges, range);
 *     archive_close(archive);
 */
#pragma once

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/message.h"
#include "wrytograph/reader.h"
#include "wrytograph/region.h"

struct spool;

struct archive_range {
    const struct archive *archive; /* the archive that contains it */
    uint32_t offset, length;       /* bytes in flash */
    uint8_t sha256[WRY_SHA256_SIZE];
};

struct archive {
    uint8_t eui48[WRY_EUI48_SIZE];
    uint16_t chip_code;
    uint8_t chip_revision;
    uint8_t jedec[WRY_JEDEC_SIZE];
    uint32_t flash_size;            /* bytes */
    struct wry_region_table layout; /* count 0: unknown */
    char *created;                  /* UTC, ISO 8601 */
    char *tool;                     /* program that made it, and its version */
    GArray *ranges;                 /* struct archive_range, sorted, without overlaps */
    struct spool *content;          /* by flash offset */
};

/* Reads n bytes of a range; at is counted from its start. */
bool archive_range_read(const struct archive_range *range, uint32_t at, uint8_t *to, size_t n);

/* An archive without ranges and content. */
struct archive *archive_new(void);
void archive_close(struct archive *archive);

/* A range as a reader, counted from its start; the archive must outlive it. */
struct wry_reader archive_range_reader(struct archive_range *range);

/* SHA-256 of a range's content in the spool; false if it cannot be read. */
bool archive_range_digest(struct archive_range *range, uint8_t sha256[WRY_SHA256_SIZE]);
