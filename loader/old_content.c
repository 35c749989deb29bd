/*
 * Old content: what the flash held before this job.
 *
 * It is saved block by block, in a ring, before each block is erased, and stays there for some
 * history. What the job has not reached yet is still in the flash, and so is everything outside the
 * job. A block is erased only when all content before it is complete. A stream that refers to lost
 * content is damaged.
 */
#include "loader_inner.h"

#include "bytes/memory.h"

/* The old content in the ring, and what of the job's range is lost. */
struct kept {
    uint32_t start, end;
    uint32_t lost_start, lost_end;
};

static struct kept kept_now(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t size = loader->layout.old_size;

    if (write->scan_end == write->start)
        return (struct kept){0};
    if (loader_is_down(loader)) {
        uint32_t start = loader_write_address(loader, write->scan_end, 0);
        uint32_t end = start + loader_least(size, write->end - start);
        return (struct kept){start, end, end, write->end};
    }
    uint32_t end = write->scan_end;
    uint32_t start = end - write->start > size ? end - size : write->start;
    return (struct kept){start, end, write->start, start};
}

static void copy_kept(const struct wry_loader *loader, uint32_t source, uint8_t *to, uint32_t n)
{
    uint32_t at = source % loader->layout.old_size;
    uint32_t first = loader_least(n, loader->layout.old_size - at);

    memcpy(to, loader->old + at, first);
    memcpy(to + first, loader->old, n - first);
}

/* The end of what lies in the same place as source. */
static uint32_t end_of_place(const struct wry_loader *loader, const struct kept *kept,
                             uint32_t source)
{
    const uint32_t bounds[] = {kept->start, kept->end, kept->lost_start, kept->lost_end};
    uint32_t end = loader->capacity;

    for (unsigned i = 0; i < sizeof bounds / sizeof bounds[0]; i++) {
        if (bounds[i] > source)
            end = loader_least(end, bounds[i]);
    }
    return end;
}

uint32_t loader_old_fetch(struct wry_loader *loader, uint32_t source, uint8_t *to, uint32_t n,
                          bool *lost)
{
    struct kept kept = kept_now(loader);

    *lost = source >= loader->capacity || (source >= kept.lost_start && source < kept.lost_end);
    if (*lost)
        return 0;
    n = loader_least(n, end_of_place(loader, &kept, source) - source);
    if (source >= kept.start && source < kept.end)
        copy_kept(loader, source, to, n);
    else if (loader->op == WRY_OP_NONE)
        loader_flash_read(loader, source, to, n);
    else
        return 0;
    return n;
}

void loader_old_keep(struct wry_loader *loader, uint32_t offset, const uint8_t *bytes, uint32_t n)
{
    memcpy(loader->old + offset % loader->layout.old_size, bytes, n);
}
