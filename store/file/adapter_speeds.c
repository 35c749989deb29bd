/* Remembered speeds of adapters. */
#include "adapter_speeds.h"

#include <glib.h>

#include "base/folders.h"
#include "wrytograph-host/atomic_file.h"

#define FILE_NAME "adapters.ini"
#define SPEED "speed"
#define FOUND "found" /* seconds since 1970 */

enum {
    VALID = 12 * 3600, /* s */
};

static char *file_path(void)
{
    g_autofree char *folder = folders_state();

    return g_build_filename(folder, FILE_NAME, NULL);
}

static GKeyFile *load(const char *path)
{
    GKeyFile *file = g_key_file_new();

    g_key_file_load_from_file(file, path, G_KEY_FILE_NONE, NULL);
    return file;
}

/* A group's name has no brackets. */
static char *group_of(const char *adapter)
{
    return g_uri_escape_string(adapter, "/:", TRUE);
}

static gint64 now(void)
{
    return g_get_real_time() / G_USEC_PER_SEC;
}

uint32_t adapter_speeds_find(const char *adapter)
{
    g_autofree char *path = file_path();
    g_autoptr(GKeyFile) file = load(path);
    g_autofree char *group = group_of(adapter);
    gint64 found = g_key_file_get_int64(file, group, FOUND, NULL);
    gint64 baud = g_key_file_get_int64(file, group, SPEED, NULL);

    if (found > now() || found + VALID < now() || baud <= 0 || baud > UINT32_MAX)
        return 0;
    return (uint32_t)baud;
}

static void save(const char *path, GKeyFile *file)
{
    gsize length;
    g_autofree char *folder = g_path_get_dirname(path);
    g_autofree char *text = g_key_file_to_data(file, &length, NULL);

    if (g_mkdir_with_parents(folder, 0700) == 0)
        wry_atomic_file_save(path, text, length, TRUE, NULL);
}

void adapter_speeds_keep(const char *adapter, uint32_t baud)
{
    g_autofree char *path = file_path();
    g_autoptr(GKeyFile) file = load(path);
    g_autofree char *group = group_of(adapter);

    g_key_file_set_int64(file, group, SPEED, baud);
    g_key_file_set_int64(file, group, FOUND, now());
    save(path, file);
}
