/* A file that appears only when it is complete. */
#include "pending_file.h"

#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <stdio.h>
#include <unistd.h>

#include "error.h"

struct pending_file {
    char *path, *folder, *hidden;
    gboolean replace;
};

static gboolean refuse_existing(const struct pending_file *file, GError **error)
{
    if (file->replace || !g_file_test(file->path, G_FILE_TEST_EXISTS))
        return FALSE;
    g_set_error(error, STORE_ERROR, STORE_ERROR_EXISTS, "%s: there is a file of that name",
                file->path);
    return TRUE;
}

struct pending_file *pending_file_begin(const char *path, gboolean replace, GError **error)
{
    struct pending_file *file = g_new0(struct pending_file, 1);
    g_autofree char *base = g_path_get_basename(path);

    file->path = g_strdup(path);
    file->folder = g_path_get_dirname(path);
    file->hidden = g_strdup_printf("%s/.%s.part-%ld", file->folder, base, (long)getpid());
    file->replace = replace;
    if (refuse_existing(file, error)) {
        pending_file_abandon(file);
        return NULL;
    }
    int descriptor = open(file->hidden, O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC, 0666);
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

static gboolean flush(const char *path, int flags)
{
    int descriptor = open(path, flags | O_CLOEXEC);
    gboolean flushed = descriptor >= 0 && fsync(descriptor) == 0;

    if (descriptor >= 0)
        close(descriptor);
    return flushed;
}

gboolean pending_file_commit(struct pending_file *file, GError **error)
{
    gboolean done = FALSE;

    if (!flush(file->hidden, O_RDONLY))
        store_file_error(error, file->path);
    else if (!refuse_existing(file, error))
        done = g_rename(file->hidden, file->path) == 0 || store_file_error(error, file->path);
    /* The name is in place; a folder that cannot be flushed (some network ones) is no failure. */
    if (done)
        flush(file->folder, O_RDONLY | O_DIRECTORY);
    pending_file_abandon(file);
    return done;
}

void pending_file_abandon(struct pending_file *file)
{
    if (!file)
        return;
    g_unlink(file->hidden);
    g_free(file->path);
    g_free(file->folder);
    g_free(file->hidden);
    g_free(file);
}
