/*
 * What a backup archive holds, in memory: which board, which ranges, and their content in a spool.
 *
 *     struct archive *archive = archive_new();
 *     archive->content = spool_new(folder, &error);
 *     g_array_append_val(archive->ranges, range);
 *     archive_close(archive);
 */
#ifndef WRY_STORE_ARCHIVE_RECORD_H
#define WRY_STORE_ARCHIVE_RECORD_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/message.h"
#include "wrytograph/reader.h"
#include "wrytograph/region.h"

struct spool;

struct archive_range {
    const struct archive *archive; /* that it belongs to */
    uint32_t offset, length;       /* bytes in flash */
    uint8_t sha256[WRY_SHA256_SIZE];
};

struct archive {
    uint8_t eui48[WRY_EUI48_SIZE];
    uint16_t chip_code;
    uint8_t chip_revision;
    uint8_t jedec[WRY_JEDEC_SIZE];
    uint32_t flash_size;            /* bytes */
    struct wry_region_table layout; /* count 0: none was known */
    char *created;                  /* UTC, ISO 8601 */
    char *tool;                     /* name and version */
    GArray *ranges;                 /* struct archive_range, by rising offset, none overlapping */
    struct spool *content;          /* by flash offset */
};

/* n bytes of one range, counted from its start. */
bool archive_range_read(const struct archive_range *range, uint32_t at, uint8_t *to, size_t n);

/* An archive without ranges and content. */
struct archive *archive_new(void);
void archive_close(struct archive *archive);

/* A range as a reader, counted from its start; the archive must outlive it. */
struct wry_reader archive_range_reader(struct archive_range *range);

/* SHA-256 of a range's content as it is in the spool; false when it cannot be read. */
bool archive_range_digest(struct archive_range *range, uint8_t sha256[WRY_SHA256_SIZE]);

#endif
