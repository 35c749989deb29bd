/* libarchive, loaded when it is first needed. */
#include "store/image/tar_library.h"

TAR_CALLS(LAZY_DEFINE)

static const struct lazy_call calls[] = {TAR_CALLS(LAZY_ENTRY)};
static struct lazy_library library = {
    .file = WRY_TAR_FILE, .calls = calls, .count = G_N_ELEMENTS(calls)};

gboolean tar_library_load(GError **error)
{
    return lazy_library_load(&library, error);
}
