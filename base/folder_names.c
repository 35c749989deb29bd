/* The names in a folder, sorted. */
#include "base/folder_names.h"

#include <string.h>

static int by_name(const void *a, const void *b)
{
    return strcmp(*(const char *const *)a, *(const char *const *)b);
}

char **folder_names(const char *path, GError **error)
{
    g_autoptr(GDir) folder = g_dir_open(path, 0, error);
    GPtrArray *names = NULL;

    if (!folder)
        return NULL;
    names = g_ptr_array_new();
    for (const char *name = g_dir_read_name(folder); name; name = g_dir_read_name(folder))
        g_ptr_array_add(names, g_strdup(name));
    g_ptr_array_sort(names, by_name);
    g_ptr_array_add(names, NULL);
    return (char **)g_ptr_array_free(names, FALSE);
}
