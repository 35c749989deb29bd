/* Applies difference streams: new content from old content and the stream. */
#include "loader_inner.h"

#include "bytes/memory.h"

enum {
    DIFFERENCE_SLICE = 256, /* bytes computed in one step */
};

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
    uint32_t ring = loader->layout.fresh - (at - write->programmed);
    uint32_t to_wrap = loader->layout.fresh - ((at - write->start) & (loader->layout.fresh - 1));
    uint32_t block = write->scan == write->scan_end ? write->scan_end - at : 0;

    return loader_least(loader_least(ring, to_wrap), loader_least(block, DIFFERENCE_SLICE));
}

/* The unused decoded records that lie in one piece in the dictionary. */
static size_t unpacked(const struct wry_loader *loader, const uint8_t **bytes)
{
    uint32_t at = loader->write.taken & (loader->layout.dictionary - 1);

    *bytes = loader->dictionary + at;
    return loader_least(loader_stream_unpacked(loader) - loader->write.taken,
                        loader->layout.dictionary - at);
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
    uint8_t *to = loader->fresh + ((difference->at - write->start) & (loader->layout.fresh - 1));
    if (piece.is_copy) {
        length = loader_old_fetch(loader, piece.source, to, length, &lost);
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
