/* The user's folders, after the XDG Base Directory Specification, and those that variables name. */
#ifndef WRY_BASE_FOLDERS_H
#define WRY_BASE_FOLDERS_H

enum folder_kind {
    FOLDER_CONFIG,
    FOLDER_DATA,
    FOLDER_STATE,
    FOLDER_CACHE,
};

/* name within this program's folder of that kind, or the folder itself for NULL. An XDG variable
 * that holds a relative path is ignored, as the specification demands. Free with g_free. */
char *folders_user(enum folder_kind kind, const char *name);

/* The folder of the journal and of what else one command leaves for the next: WRYTOGRAPH_STATE, or
 * the user's. Free with g_free. */
char *folders_state(void);

/* What an environment variable of this program names, made absolute; NULL if it is unset or empty.
 * Free with g_free. */
char *folders_named(const char *variable);

#endif
