/* Media types by libmagic. */
#include "store/file/media_type.h"

#include <errno.h>
#include <magic.h>

#include "store/file/error.h"

char *media_type(const uint8_t *bytes, size_t n, GError **error)
{
    magic_t magic = magic_open(MAGIC_MIME_TYPE);
    const char *type = NULL;

    if (magic && magic_load(magic, NULL) == 0)
        type = magic_buffer(magic, bytes, n);
    char *found = g_strdup(type);
    if (!type)
        store_error(error, WRY_STORE_ERROR_FILE, "%s",
                    magic ? magic_error(magic) : g_strerror(ENOMEM));
    if (magic)
        magic_close(magic);
    return found;
}
