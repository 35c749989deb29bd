/*
 * Configuration: values that a user would otherwise give with every command.
 *
 * The files are config.yaml in the folder "wrytograph" of each XDG configuration folder
 * (XDG_CONFIG_DIRS, then XDG_CONFIG_HOME): those of the system, then the user's, whose values
 * count. Each key stands for a variable of the environment (docs/environment.md), which comes
 * before the files, as an option of the command comes before both.
 *
 *     g_autoptr(GPtrArray) entries = wry_config_read(&error);
 *
 *     if (entries)
 *         wry_config_apply(entries);
 */
#ifndef WRYTOGRAPH_HOST_CONFIG_H
#define WRYTOGRAPH_HOST_CONFIG_H

#include <glib.h>

#ifdef __cplusplus
extern "C" {
#endif

struct wry_config_entry {
    const char *key;      /* as in a file, such as "link" */
    const char *variable; /* of the environment, such as "WRYTOGRAPH_LINK" */
    const char *meaning;  /* one line */
    char *value;          /* the value that counts; NULL = it is set nowhere */
    char *file;           /* where it comes from; NULL = from the environment, or nowhere */
    unsigned line;        /* within the file, from 1 */
};

/*
 * Reads all files: one entry for each key that there is, in a fixed order. Free with
 * g_ptr_array_unref. Paths of folders may begin with "~/", and relative ones start at their file's
 * folder. A file that does not exist is no error; NULL with error for one that cannot be read, with
 * an unknown key or a wrong value: "PATH:LINE: …".
 */
GPtrArray *wry_config_read(GError **error);

/* Sets the variables of entries that come from files. Not while other threads run. */
void wry_config_apply(const GPtrArray *entries);

/* The path of the user's file; free with g_free. */
char *wry_config_path(void);

#ifdef __cplusplus
}
#endif

#endif
