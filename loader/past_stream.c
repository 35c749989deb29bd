/*
 * The latest streams, in a ring: what of them was lost is sent again from there, before anything
 * else, so that the host need not wait until a stream is made once more. The ring lies behind the
 * memory that packing takes; boards with little memory have none.
 */
#include "inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

enum {
    LEAST = 32768, /* bytes of a ring that mostly holds what is asked for again */
    MOST = 65536,
};

void loader_past_divide(struct wry_loader *loader, size_t packing_most)
{
    uint32_t size = MOST;

    while (size >= LEAST && size + packing_most > loader->memory_size)
        size /= 2;
    loader->past_size = size >= LEAST ? size : 0;
    loader->past_ring = loader->memory + loader->memory_size - loader->past_size;
}

void loader_past_drop(struct wry_loader *loader)
{
    memset(loader->past, 0, sizeof loader->past);
    loader->past_begun = 0;
}

static struct wry_loader_past *latest(struct wry_loader *loader)
{
    return &loader->past[(loader->past_begun - 1) % WRY_LOADER_READS];
}

void loader_past_begin(struct wry_loader *loader, uint32_t start, uint32_t end)
{
    loader->past_begun++;
    *latest(loader) = (struct wry_loader_past){.start = start, .end = end, .at = loader->past_fill};
}

void loader_past_add(struct wry_loader *loader, const uint8_t *bytes, size_t n)
{
    if (loader->past_size == 0)
        return;
    for (size_t done = 0; done < n;) {
        uint32_t at = loader->past_fill % loader->past_size;
        uint32_t piece = loader_least(loader->past_size - at, (uint32_t)(n - done));
        memcpy(loader->past_ring + at, bytes + done, piece);
        loader->past_fill += piece;
        done += piece;
    }
}

void loader_past_end(struct wry_loader *loader)
{
    latest(loader)->length = loader->past_fill - latest(loader)->at;
}

static const struct wry_loader_past *find(const struct wry_loader *loader, uint32_t start,
                                          uint32_t end)
{
    for (size_t i = 0; i < WRY_LOADER_READS; i++) {
        const struct wry_loader_past *past = &loader->past[i];
        if (past->length > 0 && past->start == start && past->end == end &&
            loader->past_fill - past->at <= loader->past_size)
            return past;
    }
    return NULL;
}

bool loader_past_has(const struct wry_loader *loader, uint32_t start, uint32_t end)
{
    return find(loader, start, end) != NULL;
}

/* The next frame's worth, from the ring. */
static void send_frame(struct wry_loader *loader, struct wry_loader_read *read,
                       const struct wry_loader_past *past)
{
    uint32_t most = loader_least(past->length - read->at, read->frame_max), n = 0;

    while (n < most && bits_has(read->wanted, (read->at + n) / WRY_PAGE_SIZE))
        n += WRY_PAGE_SIZE;
    n = loader_least(n, most);
    uint32_t at = (past->at + read->at) % loader->past_size;
    uint32_t first = loader_least(n, loader->past_size - at);
    memcpy(loader->slice, loader->past_ring + at, first);
    memcpy(loader->slice + first, loader->past_ring, n - first);
    loader->page_in_slice = false;
    loader_read_send(loader, read->seq,
                     &(struct wry_data_message){.offset = read->at,
                                                .length = n,
                                                .encoding = WRY_ENCODING_STREAM,
                                                .payload = loader->slice,
                                                .payload_length = n});
    read->at += n;
}

void loader_past_send_end(struct wry_loader *loader, const struct wry_loader_read *read,
                          uint32_t stream_length)
{
    struct wry_range_message range = {.offset = read->start, .length = read->end - read->start};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    size_t n = wry_message_put_read_end(head, read->seq, &range, stream_length);

    loader_output_frame(loader, head, n, NULL, 0);
}

bool loader_past_step(struct wry_loader *loader, size_t n)
{
    struct wry_loader_read *read = &loader->reads[n];
    const struct wry_loader_past *past = find(loader, read->start, read->end);

    if (!past) { /* newer ones went over it: it is made once more, in its turn */
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
    /* Twice: on a line that loses much, nothing else would tell for a while that it is over. */
    loader_past_send_end(loader, read, past->length);
    loader_past_send_end(loader, read, past->length);
    loader_read_end(loader, n);
    return true;
}
