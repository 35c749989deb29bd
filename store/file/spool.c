/* A temporary file without a name. */
#include "store/file/spool.h"

#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <string.h>
#include <unistd.h>

#include "error.h"
#include "leftovers.h"

struct spool {
    int file;
};

struct spool *spool_new(const char *folder, GError **error)
{
    const char *place = folder ? folder : g_get_tmp_dir();
    g_autofree char *path = leftovers_path(place, "spool");

    leftovers_remove(place); /* of processes that were killed before they took the name away */
    int file = open(path, O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0600);
    if (file < 0) {
        store_file_error(error, place);
        return NULL;
    }
    g_unlink(path);
    struct spool *spool = g_new0(struct spool, 1);
    spool->file = file;
    return spool;
}

void spool_free(struct spool *spool)
{
    if (!spool)
        return;
    close(spool->file);
    g_free(spool);
}

bool spool_write(struct spool *spool, uint64_t offset, const uint8_t *bytes, size_t n)
{
    while (n > 0) {
        ssize_t written = pwrite(spool->file, bytes, n, (off_t)offset);
        if (written < 0 && errno == EINTR)
            continue;
        if (written <= 0)
            return false;
        bytes += written;
        offset += (uint64_t)written;
        n -= (size_t)written;
    }
    return true;
}

bool spool_gather_end(struct spool_gather *gather)
{
    bool written = spool_write(gather->spool, gather->offset, gather->bytes, gather->fill);

    gather->offset += gather->fill;
    gather->fill = 0;
    return written;
}

bool spool_gather_put(struct spool_gather *gather, uint64_t offset, const uint8_t *bytes, size_t n)
{
    if (offset != gather->offset + gather->fill || n > sizeof gather->bytes - gather->fill) {
        if (!spool_gather_end(gather))
            return false;
        gather->offset = offset;
    }
    if (n > sizeof gather->bytes)
        return spool_write(gather->spool, offset, bytes, n);
    memcpy(gather->bytes + gather->fill, bytes, n);
    gather->fill += n;
    return true;
}

bool spool_read(const struct spool *spool, uint64_t offset, uint8_t *to, size_t n)
{
    while (n > 0) {
        ssize_t got = pread(spool->file, to, n, (off_t)offset);
        if (got < 0 && errno == EINTR)
            continue;
        if (got <= 0)
            return false;
        to += got;
        offset += (uint64_t)got;
        n -= (size_t)got;
    }
    return true;
}

int spool_descriptor(const struct spool *spool)
{
    return spool->file;
}
