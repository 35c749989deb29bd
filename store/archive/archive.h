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
 *     archive_close(archive);
 */
#ifndef WRY_STORE_ARCHIVE_H
#define WRY_STORE_ARCHIVE_H

#include "store/archive/archive_record.h"

/* True when the file begins as a ZIP file does. */
bool archive_is_one(const char *path);

/* NULL when the file is no archive of ours, or damaged. */
struct archive *archive_open(const char *path, GError **error);

/* Writes ranges and their content, which is in archive->content, to path, and reads it once more:
 * false also when that does not give each range's SHA-256. */
gboolean archive_write(const struct archive *archive, const char *path, GError **error);

#endif
