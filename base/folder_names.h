/* The names in a folder. */
#ifndef WRY_BASE_FOLDER_NAMES_H
#define WRY_BASE_FOLDER_NAMES_H

#include <glib.h>

/*
 * All names in the folder but "." and "..", in the order of strcmp, so that what is made of a
 * folder does not depend on its file system. NULL with an error of G_FILE_ERROR, which names path,
 * if it cannot be read. Free with g_strfreev.
 *
 *     g_auto(GStrv) names = folder_names(path, &error);
 *     for (char **name = names; name && *name; name++)
 *         look_at(path, *name);
 */
char **folder_names(const char *path, GError **error);

#endif
