/* A file that appears only when it is complete. */
#include "pending_file.h"

#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "error.h"

struct pending_file {
    char *path, *folder, *hidden;
    gboolean replace;
};

/* Only a plain file is ever replaced: never a device, a pipe or a folder. */
static gboolean may_take_name(const struct pending_file *file, GError **error)
{
    struct stat info;

    if (lstat(file->path, &info) != 0)
        return errno == ENOENT || store_file_error(error, file->path);
    if (!S_ISREG(info.st_mode) && !(S_ISLNK(info.st_mode) && !file->replace)) {
        g_set_error(error, STORE_ERROR, STORE_ERROR_FILE, "%s: not a regular file", file->path);
        return FALSE;
    }
    if (file->replace)
        return TRUE;
    g_set_error(error, STORE_ERROR, STORE_ERROR_EXISTS, "%s: there is a file of that name",
                file->path);
    return FALSE;
}

/* ".NAME.part-PROCESS" and what is written beside it: left by a process that is no more. */
static void remove_leftovers(const struct pending_file *file, const char *base)
{
    g_autofree char *prefix = g_strdup_printf(".%s.part-", base);
    GDir *folder = g_dir_open(file->folder, 0, NULL);
    const char *name;

    while (folder && (name = g_dir_read_name(folder))) {
        if (!g_str_has_prefix(name, prefix))
            continue;
        long process = strtol(name + strlen(prefix), NULL, 10);
        if (process <= 0 || kill((pid_t)process, 0) == 0 || errno != ESRCH)
            continue;
        g_autofree char *path = g_build_filename(file->folder, name, NULL);
        g_unlink(path);
    }
    if (folder)
        g_dir_close(folder);
}

struct pending_file *pending_file_begin(const char *path, gboolean replace, GError **error)
{
    struct pending_file *file = g_new0(struct pending_file, 1);
    g_autofree char *base = g_path_get_basename(path);

    file->path = g_strdup(path);
    file->folder = g_path_get_dirname(path);
    file->hidden = g_strdup_printf("%s/.%s.part-%ld", file->folder, base, (long)getpid());
    file->replace = replace;
    if (!may_take_name(file, error)) {
        pending_file_abandon(file);
        return NULL;
    }
    remove_leftovers(file, base);
    /* It holds one board's calibration and identity: nobody else's to read. */
    int descriptor =
        open(file->hidden, O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC | O_NOFOLLOW, 0600);
    if (descriptor < 0) {
        store_file_error(error, file->path);
        pending_file_abandon(file);
        return NULL;
    }
    close(descriptor);
    return file;
}

const char *pending_file_path(const struct pending_file *file)
{
    return file->hidden;
}

const char *pending_file_folder(const struct pending_file *file)
{
    return file->folder;
}

static gboolean flush(const char *path, int flags, mode_t mode)
{
    int descriptor = open(path, flags | O_CLOEXEC);
    gboolean flushed =
        descriptor >= 0 && (mode == 0 || fchmod(descriptor, mode) == 0) && fsync(descriptor) == 0;

    if (descriptor >= 0)
        close(descriptor);
    return flushed;
}

/* Whoever took the name meanwhile keeps it; where the system cannot promise that, a look must do.
 */
static gboolean take_name(const struct pending_file *file, GError **error)
{
    if (file->replace)
        return may_take_name(file, error) &&
               (g_rename(file->hidden, file->path) == 0 || store_file_error(error, file->path));
    if (renameat2(AT_FDCWD, file->hidden, AT_FDCWD, file->path, RENAME_NOREPLACE) == 0)
        return TRUE;
    if (errno == EEXIST)
        return may_take_name(file, error);
    if (errno != EINVAL && errno != ENOSYS)
        return store_file_error(error, file->path);
    return may_take_name(file, error) &&
           (g_rename(file->hidden, file->path) == 0 || store_file_error(error, file->path));
}

gboolean pending_file_commit(struct pending_file *file, GError **error)
{
    gboolean done = flush(file->hidden, O_RDONLY, 0600) ? take_name(file, error)
                                                        : store_file_error(error, file->path);

    /* The name is in place; a folder that cannot be flushed (some network ones) is no failure. */
    if (done)
        flush(file->folder, O_RDONLY | O_DIRECTORY, 0);
    pending_file_abandon(file);
    return done;
}

void pending_file_abandon(struct pending_file *file)
{
    if (!file)
        return;
    if (file->hidden)
        g_unlink(file->hidden);
    g_free(file->path);
    g_free(file->folder);
    g_free(file->hidden);
    g_free(file);
}

gboolean pending_file_save(const char *path, const char *bytes, gsize n, gboolean replace,
                           GError **error)
{
    struct pending_file *file = pending_file_begin(path, replace, error);

    if (!file)
        return FALSE;
    if (g_file_set_contents_full(pending_file_path(file), bytes, (gssize)n,
                                 G_FILE_SET_CONTENTS_NONE, 0600, error))
        return pending_file_commit(file, error);
    pending_file_abandon(file);
    return FALSE;
}
