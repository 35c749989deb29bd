/*
 * Files that appear under their name only when they are complete and on disk. Until then they have
 * a hidden name in the same folder.
 *
 *     struct wry_atomic_file *file = wry_atomic_file_begin("gauge.zip", FALSE, &error);
 *     ... write to wry_atomic_file_path(file) ...
 *     wry_atomic_file_commit(file, &error); or wry_atomic_file_abandon(file);
 */
#ifndef WRYTOGRAPH_HOST_ATOMIC_FILE_H
#define WRYTOGRAPH_HOST_ATOMIC_FILE_H

#include <glib.h>

#ifdef __cplusplus
extern "C" {
#endif

struct wry_atomic_file;

/*
 * replace: a plain file with this name may be overwritten. Checks that the folder can be written
 * to, and removes what killed processes left there. The new file is readable by its owner only.
 */
struct wry_atomic_file *wry_atomic_file_begin(const char *path, gboolean replace, GError **error);

/* The same for a file that is handed on: it gets the mode that the umask leaves of 0666. */
struct wry_atomic_file *wry_atomic_file_begin_shared(const char *path, gboolean replace,
                                                     GError **error);

/* The hidden path to write to, and the folder that contains it. */
const char *wry_atomic_file_path(const struct wry_atomic_file *file);
const char *wry_atomic_file_folder(const struct wry_atomic_file *file);

/* Flushes to disk and renames. Frees the file in any case. */
gboolean wry_atomic_file_commit(struct wry_atomic_file *file, GError **error);

/* Begins, writes n bytes and commits. */
gboolean wry_atomic_file_save(const char *path, const char *bytes, gsize n, gboolean replace,
                              GError **error);

/* The same in place of an existing file that others share: its mode and group are kept. */
gboolean wry_atomic_file_replace(const char *path, const char *bytes, gsize n, GError **error);

/* Removes what was written and frees the file. NULL is allowed. */
void wry_atomic_file_abandon(struct wry_atomic_file *file);

/*
 * Creates a folder for temporary content, mode 0700, in the system's folder of temporary files. If
 * the process is killed, a later one removes it. purpose: letters, part of its name. NULL with
 * error; free with g_free.
 */
char *wry_temporary_folder(const char *purpose, GError **error);

#ifdef __cplusplus
}
#endif

#endif
