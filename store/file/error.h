/* Errors of files and databases of this program. */
#pragma once

#include "wrytograph-host/error.h"

/* Sets error to the formatted text, which names the file first; returns FALSE. */
gboolean store_error(GError **error, enum wry_store_error code, const char *format, ...)
    G_GNUC_PRINTF(3, 4);

/* Sets error to "path: what errno says"; returns FALSE. */
gboolean store_file_error(GError **error, const char *path);
