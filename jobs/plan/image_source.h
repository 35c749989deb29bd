/* Files that images are made of: as they are, settings as blocks, folders as archives. */
#ifndef WRY_JOBS_IMAGE_SOURCE_H
#define WRY_JOBS_IMAGE_SOURCE_H

#include <glib.h>

#include "store/image/image_file.h"
#include "store/image/settings_file.h"

/* A block of these settings, as a file of that path. NULL when it does not fit a block. */
struct image_file *image_source_settings(const char *path, const struct settings *settings,
                                         uint32_t generation, GError **error);

/* A folder as an archive. */
struct image_file *image_source_folder(const char *path, GError **error);

#endif
