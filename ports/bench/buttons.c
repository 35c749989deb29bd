/* The buttons of a simulated board. */
#include "buttons.h"

#include <string.h>

#include "board_file.h"

#define GROUP "buttons"

static char *path_of(const char *folder)
{
    return g_build_filename(folder, "buttons", NULL);
}

struct buttons buttons_read(const char *folder)
{
    g_autoptr(GKeyFile) file = g_key_file_new();
    g_autofree char *path = path_of(folder);

    g_key_file_load_from_file(file, path, G_KEY_FILE_NONE, NULL);
    return (struct buttons){.boot = g_key_file_get_boolean(file, GROUP, "boot", NULL),
                            .due = g_key_file_get_boolean(file, GROUP, "due", NULL),
                            .resets = g_key_file_get_uint64(file, GROUP, "resets", NULL),
                            .loading = g_key_file_get_uint64(file, GROUP, "loading", NULL),
                            .power = g_key_file_get_uint64(file, GROUP, "power", NULL)};
}

static gboolean save(const char *folder, const struct buttons *buttons, GError **error)
{
    g_autoptr(GKeyFile) file = g_key_file_new();
    g_autofree char *path = path_of(folder);

    g_key_file_set_boolean(file, GROUP, "boot", buttons->boot);
    g_key_file_set_boolean(file, GROUP, "due", buttons->due);
    g_key_file_set_uint64(file, GROUP, "resets", buttons->resets);
    g_key_file_set_uint64(file, GROUP, "loading", buttons->loading);
    g_key_file_set_uint64(file, GROUP, "power", buttons->power);
    return g_key_file_save_to_file(file, path, error);
}

gboolean buttons_press(const char *folder, const char *what, GError **error)
{
    struct buttons buttons = buttons_read(folder);

    if (strcmp(what, "boot") == 0) {
        buttons.boot = true;
    } else if (strcmp(what, "release") == 0) {
        buttons.boot = buttons.due = false;
    } else if (strcmp(what, "reset") == 0) {
        buttons.resets++;
        buttons.due = false;
    } else if (strcmp(what, "loading") == 0) {
        buttons.loading++;
        buttons.due = true;
    } else if (strcmp(what, "power") == 0) {
        buttons.power++;
        buttons.due = false;
    } else {
        g_set_error(error, WRY_BENCH_ERROR, WRY_BENCH_ERROR_BAD_BUTTON, "there is no button '%s'",
                    what);
        return FALSE;
    }
    return save(folder, &buttons, error);
}

void buttons_done(const char *folder)
{
    struct buttons buttons = buttons_read(folder);

    if (!buttons.due)
        return;
    buttons.due = false;
    save(folder, &buttons, NULL);
}
