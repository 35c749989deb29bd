/*
 * A file that appears under its name only when it is complete and on the disk. Until then it has a
 * hidden name in the same folder.
 *
 *     struct wry_atomic_file *file = wry_atomic_file_begin("gauge.zip", FALSE, &error);
 *     ... write to wry_atomic_file_path(file) ...
 *     wry_atomic_file_commit(file, &error);     or     wry_atomic_file_abandon(file);
 */
#ifndef WRYTOGRAPH_HOST_ATOMIC_FILE_H
#define WRYTOGRAPH_HOST_ATOMIC_FILE_H

#include <glib.h>

#ifdef __cplusplus
extern "C" {
#endif

struct wry_atomic_file;

/*
 * replace: whether a plain file of that name may be overwritten. Tries the folder out, and removes
 * what killed processes left in it. Only the owner may read the file.
 */
struct wry_atomic_file *wry_atomic_file_begin(const char *path, gboolean replace, GError **error);

/* The hidden path to write to, and the folder it lies in. */
const char *wry_atomic_file_path(const struct wry_atomic_file *file);
const char *wry_atomic_file_folder(const struct wry_atomic_file *file);

/* Flushes to the disk and renames; frees in any case. */
gboolean wry_atomic_file_commit(struct wry_atomic_file *file, GError **error);

/* All of it in one go. */
gboolean wry_atomic_file_save(const char *path, const char *bytes, gsize n, gboolean replace,
                              GError **error);

/* The same in place of a file, whose mode and group it gets: others share it. */
gboolean wry_atomic_file_replace(const char *path, const char *bytes, gsize n, GError **error);

/* Removes what was written; frees. NULL is fine. */
void wry_atomic_file_abandon(struct wry_atomic_file *file);

#ifdef __cplusplus
}
#endif

#endif
