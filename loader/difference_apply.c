/*
 * New content put together from old content and what a difference stream adds.
 *
 * Old content is what the flash held before this job. It is kept in a ring, block by block, before
 * a block is erased; some history before the block is kept with it, and what lies ahead is still in
 * the flash, as is all that the job does not touch. A block is copied only when all content before
 * it has been put together. A stream that refers to what is lost is damaged.
 */
#include "loader_inner.h"

#include "bytes/memory.h"

enum {
    DIFFERENCE_SLICE = 256, /* bytes put together at one turn */
};

/* Old content from here to the end of the block in hand is in the ring. */
static uint32_t kept_from(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;

    return write->scan_end - write->start > loader->old_size ? write->scan_end - loader->old_size
                                                             : write->start;
}

static void copy_kept(const struct wry_loader *loader, uint32_t source, uint8_t *to, uint32_t n)
{
    uint32_t at = source % loader->old_size;
    uint32_t first = loader_least(n, loader->old_size - at);

    memcpy(to, loader->old + at, first);
    memcpy(to + first, loader->old, n - first);
}

/*
 * Old content for the copy in hand, at most n bytes of it: how many were put at to. 0 while the
 * flash is busy; *lost when there is none.
 */
static uint32_t fetch(struct wry_loader *loader, uint32_t source, uint8_t *to, uint32_t n,
                      bool *lost)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t from = kept_from(loader);
    uint32_t end = source < write->start      ? write->start
                   : source < write->scan_end ? write->scan_end
                                              : loader->capacity;

    *lost = source >= loader->capacity || (source >= write->start && source < from);
    if (*lost)
        return 0;
    n = loader_least(n, end - source);
    if (source >= from && source < write->scan_end) {
        copy_kept(loader, source, to, n);
    } else if (loader->op == WRY_OP_NONE) {
        loader_flash_read(loader, source, to, n);
    } else {
        return 0;
    }
    return n;
}

static void add(uint8_t *to, const uint8_t *bytes, uint32_t n)
{
    for (uint32_t i = 0; i < n; i++)
        to[i] = (uint8_t)(to[i] + bytes[i]);
}

/* Bytes that may be put together at this turn: within the block that is kept, and its ring. */
static uint32_t room_ahead(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t at = loader->difference.at;
    uint32_t ring = loader->fresh_size - (at - write->programmed);
    uint32_t to_wrap = loader->fresh_size - ((at - write->start) & (loader->fresh_size - 1));
    uint32_t block = write->scan == write->scan_end ? write->scan_end - at : 0;

    return loader_least(loader_least(ring, to_wrap), loader_least(block, DIFFERENCE_SLICE));
}

/* What of the records is unpacked and not used yet, as far as it lies in one piece. */
static size_t unpacked(const struct wry_loader *loader, const uint8_t **bytes)
{
    uint32_t at = loader->write.taken & (loader->dictionary_size - 1);

    *bytes = loader->dictionary + at;
    return loader_least(loader->inflate->total - loader->write.taken, loader->dictionary_size - at);
}

enum loader_stream_step loader_difference_step(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;
    struct wry_difference_reader *difference = &loader->difference;
    struct wry_difference_piece piece;
    const uint8_t *bytes;
    uint32_t room = room_ahead(loader);
    size_t n = room > 0 ? unpacked(loader, &bytes) : 0, given = n;
    bool lost = false;

    if (n == 0)
        return LOADER_STREAM_IDLE;
    enum wry_difference_result result = wry_difference_next(difference, &bytes, &n, &piece);
    write->taken += (uint32_t)(given - n);
    if (result == WRY_DIFFERENCE_DAMAGED)
        return LOADER_STREAM_WRONG;
    if (result == WRY_DIFFERENCE_INPUT || n == 0)
        return given > n ? LOADER_STREAM_BUSY : LOADER_STREAM_IDLE;
    uint32_t length = loader_least(loader_least(room, piece.length), (uint32_t)n);
    uint8_t *to = loader->fresh + ((difference->at - write->start) & (loader->fresh_size - 1));
    if (piece.is_copy) {
        length = fetch(loader, piece.source, to, length, &lost);
        add(to, bytes, length);
    } else {
        memcpy(to, bytes, length);
    }
    if (lost)
        return LOADER_STREAM_WRONG;
    wry_difference_used(difference, length);
    write->taken += length;
    loader->port->worked(loader->port->context, WRY_WORK_ADD, length);
    return length > 0 || given > n ? LOADER_STREAM_BUSY : LOADER_STREAM_IDLE;
}

void loader_difference_keep(struct wry_loader *loader, uint32_t offset, const uint8_t *bytes,
                            uint32_t n)
{
    memcpy(loader->old + offset % loader->old_size, bytes, n);
}
