/* Destinations of results. */
#include "output_file.h"

#include <errno.h>
#include <unistd.h>

#include "wrytograph-host/atomic_file.h"

static bool fail(const char *path, int reason, GError **error)
{
    g_set_error(error, G_FILE_ERROR, (gint)g_file_error_from_errno(reason), "%s: %s", path,
                g_strerror(reason));
    return false;
}

bool output_file_begin(struct output_file *output, const char *path, GError **error)
{
    *output = (struct output_file){.to = stdout, .path = path};
    if (!path)
        return true;
    output->pending = wry_atomic_file_begin_shared(path, TRUE, error);
    if (!output->pending)
        return false;
    output->to = fopen(wry_atomic_file_path(output->pending), "we");
    if (output->to)
        return true;
    fail(path, errno, error);
    wry_atomic_file_abandon(output->pending);
    return false;
}

int output_file_reason(FILE *file)
{
    bool flushed = fflush(file) == 0;

    if (!flushed)
        return errno;
    if (!ferror(file))
        return 0;
    /* The stream does not store the reason: writing one more byte yields it. */
    return write(fileno(file), "\n", 1) < 0 ? errno : EIO;
}

bool output_file_close(FILE *file, const char *path, GError **error)
{
    int reason = output_file_reason(file);
    bool closed = fclose(file) == 0;

    if (reason == 0 && !closed)
        reason = errno;
    return reason == 0 || fail(path, reason, error);
}

bool output_file_end(struct output_file *output, bool good, GError **error)
{
    if (!output->pending)
        return good;
    bool written = output_file_close(output->to, output->path, good ? error : NULL);
    if (good && written)
        return wry_atomic_file_commit(output->pending, error);
    wry_atomic_file_abandon(output->pending);
    return false;
}
