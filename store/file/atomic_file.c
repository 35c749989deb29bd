/* Files that appear only when they are complete. */
#include "wrytograph-host/atomic_file.h"

#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <sys/stat.h>
#include <unistd.h>

#include "error.h"
#include "leftovers.h"

struct wry_atomic_file {
    char *path, *folder, *hidden;
    gboolean replace;
    mode_t mode;
    gid_t group; /* (gid_t)-1: the system's choice */
};

/* Only plain files are replaced, never a device, a pipe or a folder. */
static gboolean may_take_name(const struct wry_atomic_file *file, GError **error)
{
    struct stat info;

    if (lstat(file->path, &info) != 0)
        return errno == ENOENT || store_file_error(error, file->path);
    if (!S_ISREG(info.st_mode) && !(S_ISLNK(info.st_mode) && !file->replace))
        return store_error(error, WRY_STORE_ERROR_FILE, "%s: not a regular file", file->path);
    if (file->replace)
        return TRUE;
    return store_error(error, WRY_STORE_ERROR_EXISTS, "%s: the file exists already", file->path);
}

static struct wry_atomic_file *begin(const char *path, gboolean replace, mode_t mode,
                                     GError **error)
{
    struct wry_atomic_file *file = g_new0(struct wry_atomic_file, 1);

    file->path = g_strdup(path);
    file->folder = g_path_get_dirname(path);
    file->hidden = leftovers_path(file->folder, "part");
    file->replace = replace;
    file->group = (gid_t)-1;
    if (!may_take_name(file, error)) {
        wry_atomic_file_abandon(file);
        return NULL;
    }
    leftovers_remove(file->folder);
    struct stat info;
    int descriptor =
        open(file->hidden, O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC | O_NOFOLLOW, mode);
    if (descriptor < 0 || fstat(descriptor, &info) != 0) {
        store_file_error(error, file->path);
        if (descriptor >= 0)
            close(descriptor);
        wry_atomic_file_abandon(file);
        return NULL;
    }
    file->mode = info.st_mode & 0777;
    close(descriptor);
    return file;
}

/* Mode 0600: it may contain a board's calibration and identity. */
struct wry_atomic_file *wry_atomic_file_begin(const char *path, gboolean replace, GError **error)
{
    return begin(path, replace, 0600, error);
}

struct wry_atomic_file *wry_atomic_file_begin_shared(const char *path, gboolean replace,
                                                     GError **error)
{
    return begin(path, replace, 0666, error);
}

const char *wry_atomic_file_path(const struct wry_atomic_file *file)
{
    return file->hidden;
}

const char *wry_atomic_file_folder(const struct wry_atomic_file *file)
{
    return file->folder;
}

/* Mode and group are set before the file gets its name: a kill in between must not change them. */
static gboolean flush_content(const struct wry_atomic_file *file)
{
    int descriptor = open(file->hidden, O_RDONLY | O_CLOEXEC);
    gboolean flushed =
        descriptor >= 0 &&
        (file->group == (gid_t)-1 || fchown(descriptor, (uid_t)-1, file->group) == 0) &&
        fchmod(descriptor, file->mode) == 0 && fsync(descriptor) == 0;

    if (descriptor >= 0)
        close(descriptor);
    return flushed;
}

/* A folder that cannot be flushed (on some network file systems) is not an error: the name is in
 * place. */
static void flush_folder(const char *path)
{
    int descriptor = open(path, O_RDONLY | O_DIRECTORY | O_CLOEXEC);

    if (descriptor < 0)
        return;
    fsync(descriptor);
    close(descriptor);
}

/* Does not replace a file that appeared meanwhile; if the system cannot guarantee that, a check
 * must do. */
static gboolean take_name(const struct wry_atomic_file *file, GError **error)
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

gboolean wry_atomic_file_commit(struct wry_atomic_file *file, GError **error)
{
    gboolean done =
        flush_content(file) ? take_name(file, error) : store_file_error(error, file->path);

    if (done)
        flush_folder(file->folder);
    wry_atomic_file_abandon(file);
    return done;
}

void wry_atomic_file_abandon(struct wry_atomic_file *file)
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

static gboolean fill(struct wry_atomic_file *file, const char *bytes, gsize n, GError **error)
{
    if (g_file_set_contents_full(wry_atomic_file_path(file), bytes, (gssize)n,
                                 G_FILE_SET_CONTENTS_NONE, 0600, error))
        return wry_atomic_file_commit(file, error);
    wry_atomic_file_abandon(file);
    return FALSE;
}

gboolean wry_atomic_file_save(const char *path, const char *bytes, gsize n, gboolean replace,
                              GError **error)
{
    struct wry_atomic_file *file = wry_atomic_file_begin(path, replace, error);

    return file && fill(file, bytes, n, error);
}

gboolean wry_atomic_file_replace(const char *path, const char *bytes, gsize n, GError **error)
{
    struct stat before;

    if (stat(path, &before) != 0)
        return store_file_error(error, path);
    struct wry_atomic_file *file = wry_atomic_file_begin(path, TRUE, error);
    if (!file)
        return FALSE;
    file->mode = before.st_mode & 0777;
    file->group = before.st_gid;
    return fill(file, bytes, n, error);
}

char *wry_temporary_folder(const char *purpose, GError **error)
{
    char *folder = leftovers_new_folder(purpose);

    if (!folder)
        store_file_error(error, g_get_tmp_dir());
    return folder;
}
