/*
 * Backup archives: flash content tied to the board it came from (docs/archive.md).
 *
 * A ZIP file that any unzip reads: board.json says which board and which ranges, and each range is
 * a plain binary beside it. Reading checks the SHA-256 of every range before anything is handed
 * out.
 *
 *     struct archive *archive = archive_open("gauge-1.zip", &error);
 *     if (memcmp(archive->eui48, board->eui48, 6) != 0)
 *         refuse();
 *     archive_range_read(&g_array_index(archive->ranges, struct archive_range, 0), at, bytes, n);
 *     archive_free(archive);
 */
#ifndef WRY_STORE_ARCHIVE_H
#define WRY_STORE_ARCHIVE_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/bytes.h"
#include "wrytograph/message.h"
#include "wrytograph/region_table.h"

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
void archive_free(struct archive *archive);

/* True when the file begins as a ZIP file does. */
bool archive_is_one(const char *path);

/* NULL when the file is no archive of ours, or damaged. */
struct archive *archive_open(const char *path, GError **error);

/* Writes ranges and their content, which is in archive->content, to path. */
gboolean archive_write(const struct archive *archive, const char *path, GError **error);

/* SHA-256 of a range of a spool; false when it cannot be read. */
bool archive_digest(const struct spool *spool, uint32_t offset, uint32_t length,
                    uint8_t sha256[WRY_SHA256_SIZE]);

/* 64 hexadecimal digits; free with g_free. */
char *archive_digest_text(const uint8_t sha256[WRY_SHA256_SIZE]);

#endif
