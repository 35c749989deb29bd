/*
 * Backup archives: the flash content of one board (docs/archive.md).
 *
 * An archive is a ZIP file that any unzip can read: board.json describes the board and the ranges,
 * and each range is a plain binary next to it. Opening checks the SHA-256 of every range before any
 * content is used.
 *
 *     struct archive *archive = archive_open("gauge-1.zip", &error);
 *
 *     if (memcmp(archive->eui48, board->eui48, 6) != 0)
 *         refuse();
 *     archive_range_read(&g_array_index(archive->ranges, struct archive_range, 0), at, bytes, n);
 *     archive_close(archive);
 */
#pragma once

#include "store/archive/archive_record.h"

/* True if the file begins like a ZIP file. */
bool archive_is_one(const char *path);

/* NULL with error if the file is not a backup archive, or damaged. */
struct archive *archive_open(const char *path, GError **error);

/* FALSE with error if archives cannot be written on this computer: asked before all is read. */
gboolean archive_can_write(GError **error);

/* Writes the archive to path and reads it back: false also if the SHA-256 of a range differs. */
gboolean archive_write(const struct archive *archive, const char *path, GError **error);
