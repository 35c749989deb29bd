/* libzip, loaded when it is first needed. */
#include "store/file/zip_library.h"

ZIP_CALLS(LAZY_DEFINE)

static const struct lazy_call calls[] = {ZIP_CALLS(LAZY_ENTRY)};
static struct lazy_library library = {
    .file = WRY_ZIP_FILE, .calls = calls, .count = G_N_ELEMENTS(calls)};

gboolean zip_library_load(GError **error)
{
    return lazy_library_load(&library, error);
}
