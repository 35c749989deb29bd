/* Sources of images: plain files, settings as blocks, folders as archives. */
#pragma once

#include <glib.h>

#include "store/image/image_file.h"
#include "store/image/settings_file.h"

/* Encodes settings as a block, with path as its name. NULL if they do not fit. */
struct image_file *image_source_settings(const char *path, const struct settings *settings,
                                         uint32_t generation, GError **error);

/* Encodes a folder as an archive. */
struct image_file *image_source_folder(const char *path, GError **error);
