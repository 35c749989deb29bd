/*
 * Applies difference streams: new content from old content and the stream.
 *
 * Old content is what the flash held before this job. It is saved block by block, in a ring, before
 * each block is erased, together with some history before the block. Content ahead of the block is
 * still in the flash, and so is everything outside the job. A block is erased only when all content
 * before it is complete. A stream that refers to lost content is damaged.
 */
#include "loader_inner.h"

#include "bytes/memory.h"

enum {
    DIFFERENCE_SLICE = 256, /* bytes computed in one step */
};

/* The ring holds old content from this offset to the end of the current block. */
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
 * Copies up to n bytes of old content for the current record to to; returns their number, 0 while
 * the flash is busy. *lost is true if that content is gone.
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

/* Bytes that may be computed now: within the saved block and the ring of new content. */
static uint32_t room_ahead(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t at = loader->difference.at;
    uint32_t ring = loader->fresh_size - (at - write->programmed);
    uint32_t to_wrap = loader->fresh_size - ((at - write->start) & (loader->fresh_size - 1));
    uint32_t block = write->scan == write->scan_end ? write->scan_end - at : 0;

    return loader_least(loader_least(ring, to_wrap), loader_least(block, DIFFERENCE_SLICE));
}

/* The unused decoded records that lie in one piece in the dictionary. */
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
