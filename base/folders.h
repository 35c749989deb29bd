/* The user's folders, by the XDG Base Directory Specification and by environment variables of this
 * program. */
#pragma once

enum folder_kind {
    FOLDER_CONFIG,
    FOLDER_DATA,
    FOLDER_STATE,
    FOLDER_CACHE,
};

/* The path of name in this program's folder of that kind; of the folder itself if name is NULL. A
 * relative path in an XDG variable is ignored, as the specification demands. Free with g_free. */
char *folders_user(enum folder_kind kind, const char *name);

/* The folder of the journal and other state between commands: WRYTOGRAPH_STATE, or the user's. Free
 * with g_free. */
char *folders_state(void);

/* The path in an environment variable of this program, made absolute; NULL if it is unset or empty.
 * Free with g_free. */
char *folders_named(const char *variable);
