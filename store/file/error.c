/* Errors of stores. */
#include "error.h"

#include <errno.h>

gboolean store_error(GError **error, enum wry_store_error code, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    if (error)
        *error = g_error_new_valist(WRY_STORE_ERROR, (gint)code, format, arguments);
    va_end(arguments);
    return FALSE;
}

gboolean store_file_error(GError **error, const char *path)
{
    return store_error(error, WRY_STORE_ERROR_FILE, "%s: %s", path, g_strerror(errno));
}
