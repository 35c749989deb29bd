/*
 * Folders as images: POSIX ustar archives (IEEE Std 1003.1, pax), which any tar reads, made by
 * libarchive. Equal folders give identical archives: names are sorted, and times, owners and modes
 * are not stored.
 *
 *     struct spool *spool = folder_image_make("site", &length, &error);
 */
#pragma once

#include <glib.h>
#include <stdint.h>

struct spool;

/* Archives files and folders by names relative to path. NULL with error if the folder
 * has anything else, a member cannot be read, a name is too long for the format, or the archive is
 * larger than any flash. */
struct spool *folder_image_make(const char *path, uint32_t *length, GError **error);
