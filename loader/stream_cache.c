/*
 * The cache of the latest streams, a ring: lost parts are sent again from here before anything
 * else, so that the host need not wait for the stream to be encoded again. The ring uses memory
 * that the encoder does not need; boards with little memory have none.
 */
#include "loader_inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

enum {
    LEAST = 32768, /* bytes from which a ring mostly has what is requested */
    MOST = 65536,
};

void loader_cache_divide(struct wry_loader *loader, size_t packing_most)
{
    uint32_t size = MOST;

    while (size >= LEAST && size + packing_most > loader->memory_size)
        size /= 2;
    loader->cache_size = size >= LEAST ? size : 0;
    loader->cache_ring = loader->memory + loader->memory_size - loader->cache_size;
}

void loader_cache_drop(struct wry_loader *loader)
{
    memset(loader->cached, 0, sizeof loader->cached);
    loader->cache_begun = 0;
}

static struct wry_loader_cached *latest(struct wry_loader *loader)
{
    return &loader->cached[(loader->cache_begun - 1) % WRY_LOADER_READS];
}

void loader_cache_begin(struct wry_loader *loader, uint32_t start, uint32_t end)
{
    loader->cache_begun++;
    *latest(loader) =
        (struct wry_loader_cached){.start = start, .end = end, .at = loader->cache_fill};
}

void loader_cache_add(struct wry_loader *loader, const uint8_t *bytes, size_t n)
{
    if (loader->cache_size == 0)
        return;
    for (size_t done = 0; done < n;) {
        uint32_t at = loader->cache_fill % loader->cache_size;
        uint32_t piece = loader_least(loader->cache_size - at, (uint32_t)(n - done));
        memcpy(loader->cache_ring + at, bytes + done, piece);
        loader->cache_fill += piece;
        done += piece;
    }
}

void loader_cache_end(struct wry_loader *loader)
{
    latest(loader)->length = loader->cache_fill - latest(loader)->at;
}

static const struct wry_loader_cached *find(const struct wry_loader *loader, uint32_t start,
                                            uint32_t end)
{
    for (size_t i = 0; i < WRY_LOADER_READS; i++) {
        const struct wry_loader_cached *past = &loader->cached[i];
        if (past->length > 0 && past->start == start && past->end == end &&
            loader->cache_fill - past->at <= loader->cache_size)
            return past;
    }
    return NULL;
}

bool loader_cache_has(const struct wry_loader *loader, uint32_t start, uint32_t end)
{
    return find(loader, start, end) != NULL;
}

/* Sends the next frame from the ring. */
static void send_frame(struct wry_loader *loader, struct wry_loader_read *read,
                       const struct wry_loader_cached *past)
{
    uint32_t most = loader_least(past->length - read->at, read->frame_max), n = 0;

    while (n < most && bits_has(read->wanted, (read->at + n) / WRY_PAGE_SIZE))
        n += WRY_PAGE_SIZE;
    n = loader_least(n, most);
    uint32_t at = (past->at + read->at) % loader->cache_size;
    uint32_t first = loader_least(n, loader->cache_size - at);
    memcpy(loader->slice, loader->cache_ring + at, first);
    memcpy(loader->slice + first, loader->cache_ring, n - first);
    loader->page_in_slice = false;
    loader_read_send(loader, read->seq,
                     &(struct wry_data_message){.offset = read->at,
                                                .length = n,
                                                .encoding = WRY_ENCODING_STREAM,
                                                .payload = loader->slice,
                                                .payload_length = n});
    read->at += n;
}

void loader_cache_send_end(struct wry_loader *loader, const struct wry_loader_read *read,
                           uint32_t stream_length)
{
    struct wry_range_message range = {.offset = read->start, .length = read->end - read->start};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    size_t n = wry_message_put_read_end(head, read->seq, &range, stream_length);

    loader_output_frame(loader, head, n, NULL, 0);
}

bool loader_cache_step(struct wry_loader *loader, size_t n)
{
    struct wry_loader_read *read = &loader->reads[n];
    const struct wry_loader_cached *past = find(loader, read->start, read->end);

    if (!past) { /* overwritten by newer streams: it is encoded again in its turn */
        read->again = false;
        read->at = read->start;
        return true;
    }
    if (!loader_output_has_room(loader, WRY_BODY_MAX))
        return false;
    while (read->at < past->length && !bits_has(read->wanted, read->at / WRY_PAGE_SIZE))
        read->at += WRY_PAGE_SIZE;
    if (read->at < past->length) {
        send_frame(loader, read, past);
        return true;
    }
    /* Sent twice: on a lossy line the host would otherwise learn late that the answer is complete.
     */
    loader_cache_send_end(loader, read, past->length);
    loader_cache_send_end(loader, read, past->length);
    loader_read_end(loader, n);
    return true;
}
