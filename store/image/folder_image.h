/*
 * Folders as images: POSIX ustar archives (IEEE Std 1003.1, pax), which any tar reads, made by
 * libarchive. Equal folders give identical archives: names are sorted, and times, owners and modes
 * are not stored.
 *
 *     struct spool *spool = folder_image_make("site", &length, &error);
 */
#ifndef WRY_STORE_FOLDER_IMAGE_H
#define WRY_STORE_FOLDER_IMAGE_H

#include <glib.h>
#include <stdint.h>

struct spool;

/* Archives files and folders by names relative to path. NULL with error if something else is among
 * them, one cannot be read or has a name too long for the format, or all of it is larger than any
 * flash. */
struct spool *folder_image_make(const char *path, uint32_t *length, GError **error);

#endif
