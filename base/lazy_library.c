/* A shared library that is loaded when it is first needed. */
#include "base/lazy_library.h"

#include <dlfcn.h>
#include <string.h>

/* It stays loaded: its functions are in use until the end. */
static gboolean load(const struct lazy_library *library, GError **error)
{
    void *handle = dlopen(library->file, RTLD_NOW | RTLD_LOCAL);

    for (gsize i = 0; handle && i < library->count; i++) {
        void *found = dlsym(handle, library->calls[i].name);
        if (!found)
            handle = NULL;
        else /* ISO C has no conversion from an object's pointer to a function's */
            memcpy(library->calls[i].to, &found, sizeof found);
    }
    if (!handle)
        g_set_error(error, G_FILE_ERROR, G_FILE_ERROR_FAILED, "%s", dlerror());
    return handle != NULL;
}

gboolean lazy_library_load(struct lazy_library *library, GError **error)
{
    g_mutex_lock(&library->lock);
    library->loaded = library->loaded || load(library, error);
    gboolean loaded = library->loaded;
    g_mutex_unlock(&library->lock);
    return loaded;
}
