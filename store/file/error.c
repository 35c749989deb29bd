/* Errors of stores. */
#include "error.h"

#include <errno.h>

gboolean store_file_error(GError **error, const char *path)
{
    g_set_error(error, WRY_STORE_ERROR, WRY_STORE_ERROR_FILE, "%s: %s", path, g_strerror(errno));
    return FALSE;
}
