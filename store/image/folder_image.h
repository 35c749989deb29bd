/*
 * A folder as an image: a POSIX ustar archive (IEEE Std 1003.1, pax), which any tar reads, made by
 * libarchive. The same folder gives the same bytes: names are sorted, and times, owners and modes
 * are not taken over.
 *
 *     struct spool *spool = folder_image_make("site", &length, &error);
 */
#ifndef WRY_STORE_FOLDER_IMAGE_H
#define WRY_STORE_FOLDER_IMAGE_H

#include <glib.h>
#include <stdint.h>

struct spool;

/* Files and folders, by names relative to path. NULL when one of them is something else, cannot be
 * read, or has a name too long for the format, or all are larger than any flash. */
struct spool *folder_image_make(const char *path, uint32_t *length, GError **error);

#endif
