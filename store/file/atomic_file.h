/*
 * A file that appears under its name only when it is complete and on the disk. Until then it has a
 * hidden name in the same folder.
 *
 *     struct pending_file *file = pending_file_begin("gauge.zip", FALSE, &error);
 *     ... write to pending_file_path(file) ...
 *     pending_file_commit(file, &error);     or     pending_file_abandon(file);
 */
#ifndef WRY_STORE_PENDING_FILE_H
#define WRY_STORE_PENDING_FILE_H

#include <glib.h>

struct pending_file;

/*
 * replace: whether a plain file of that name may be overwritten. Tries the folder out, and removes
 * what killed processes left in it. Only the owner may read the file.
 */
struct pending_file *pending_file_begin(const char *path, gboolean replace, GError **error);

/* The hidden path to write to, and the folder it lies in. */
const char *pending_file_path(const struct pending_file *file);
const char *pending_file_folder(const struct pending_file *file);

/* Flushes to the disk and renames; frees in any case. */
gboolean pending_file_commit(struct pending_file *file, GError **error);

/* All of it in one go. */
gboolean pending_file_save(const char *path, const char *bytes, gsize n, gboolean replace,
                           GError **error);

/* The same in place of a file, whose mode and group it gets: others share it. */
gboolean pending_file_replace(const char *path, const char *bytes, gsize n, GError **error);

/* Removes what was written; frees. NULL is fine. */
void pending_file_abandon(struct pending_file *file);

#endif
