/* What can go wrong with files of ours. */
#ifndef WRY_STORE_ERROR_H
#define WRY_STORE_ERROR_H

#include "wrytograph-host/error.h"

/* Sets error to "path: what errno says"; returns FALSE. */
gboolean store_file_error(GError **error, const char *path);

#endif
