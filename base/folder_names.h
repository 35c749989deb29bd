/* The names in a folder. */
#pragma once

#include <glib.h>

/*
 * All names in the folder except "." and "..", sorted by strcmp, so that results do not depend on
 * the file system. NULL with an error of G_FILE_ERROR that names path. Free with g_strfreev.
 *
 *     g_auto(GStrv) names = folder_names(path, &error);
 *     for (char **name = names; name && *name; name++)
 *         look_at(path, *name);
 */
char **folder_names(const char *path, GError **error);
