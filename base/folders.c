/* The user's folders. */
#include "folders.h"

#include <glib.h>

static const struct {
    const char *variable, *usual; /* the XDG variable, and its default below the home folder */
} kinds[] = {
    [FOLDER_CONFIG] = {"XDG_CONFIG_HOME", ".config"},
    [FOLDER_DATA] = {"XDG_DATA_HOME", ".local/share"},
    [FOLDER_STATE] = {"XDG_STATE_HOME", ".local/state"},
    [FOLDER_CACHE] = {"XDG_CACHE_HOME", ".cache"},
};

char *folders_user(enum folder_kind kind, const char *name)
{
    const char *named = g_getenv(kinds[kind].variable);

    if (named && g_path_is_absolute(named))
        return g_build_filename(named, "wrytograph", name, NULL);
    return g_build_filename(g_get_home_dir(), kinds[kind].usual, "wrytograph", name, NULL);
}

char *folders_state(void)
{
    char *named = folders_named("WRYTOGRAPH_STATE");

    return named ? named : folders_user(FOLDER_STATE, NULL);
}

char *folders_named(const char *variable)
{
    const char *named = g_getenv(variable);

    return named && named[0] != '\0' ? g_canonicalize_filename(named, NULL) : NULL;
}
