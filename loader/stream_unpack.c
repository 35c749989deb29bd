/*
 * Jobs whose content arrives as a stream.
 *
 * The window then holds pages of the stream, and its positions count stream bytes. Decoded bytes
 * appear in the dictionary, also a ring. For a deflate stream they are the content and are
 * programmed from there. For a difference they are records, from which content is computed into
 * a separate ring. Both run ahead of the flash by at most their ring and continue while the flash
 * is busy.
 */
#include "loader_inner.h"

#include "bytes/bits.h"

enum {
    STREAM_SLICE = 256,  /* bytes in or out in one step */
    REPORT_EVERY = 2048, /* bytes of stream decoded between progress messages */
};

bool loader_stream_is_built_in(void)
{
    return true;
}

bool loader_stream_can(const struct wry_loader *loader, const struct wry_erase_message *erase)
{
    bool known = erase->coding == WRY_CODING_DEFLATE ||
                 (erase->coding == WRY_CODING_DIFFERENCE && loader->old_block > 0);

    return known && erase->window >= WRY_INFLATE_WINDOW_LEAST &&
           erase->window <= loader->dictionary_size;
}

void loader_stream_begin(struct wry_loader *loader, uint8_t coding)
{
    struct wry_loader_write *write = &loader->write;

    write->received = write->consumed = write->reported = 0;
    write->coding = coding;
    wry_inflate_init(loader->inflate, loader->dictionary, loader->dictionary_size);
    if (coding == WRY_CODING_DIFFERENCE)
        wry_difference_init(&loader->difference, write->start);
}

bool loader_stream_is_difference(const struct wry_loader *loader)
{
    return (loader->write.flags & WRY_FLAG_STREAM) != 0 &&
           loader->write.coding == WRY_CODING_DIFFERENCE;
}

bool loader_stream_may_erase(const struct wry_loader *loader)
{
    return !loader_stream_is_difference(loader) || loader->difference.at >= loader->write.erased;
}

uint32_t loader_stream_ready(const struct wry_loader *loader)
{
    return loader_stream_is_difference(loader) ? loader->difference.at
                                               : loader->write.start + loader->inflate->total;
}

const uint8_t *loader_stream_page(const struct wry_loader *loader, uint32_t offset)
{
    uint32_t at = offset - loader->write.start;

    return loader_stream_is_difference(loader)
               ? loader->fresh + (at & (loader->fresh_size - 1))
               : loader->dictionary + (at & (loader->dictionary_size - 1));
}

/* Bytes that may be decoded now. */
static uint32_t room_ahead(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t done = loader->inflate->total;

    if (loader_stream_is_difference(loader))
        return loader_least(loader->dictionary_size - (done - write->taken), STREAM_SLICE);
    uint32_t ahead = done - (write->programmed - write->start);
    uint32_t left = write->end - write->start - done;
    return loader_least(loader_least(loader->dictionary_size - ahead, left), STREAM_SLICE);
}

/* The unused input that has arrived in order and lies in one piece. */
static struct wry_inflate_input arrived(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t size = (uint32_t)loader->window_pages * WRY_PAGE_SIZE;
    uint32_t at = write->consumed % size;
    uint32_t n = write->received - write->consumed;

    return (struct wry_inflate_input){.bytes = loader->window + at,
                                      .n = loader_least(loader_least(n, size - at), STREAM_SLICE)};
}

/* Frees the pages that are used up. */
static void use(struct wry_loader *loader, uint32_t n)
{
    struct wry_loader_write *write = &loader->write;
    uint32_t page = write->consumed / WRY_PAGE_SIZE;

    write->consumed += n;
    for (; page < write->consumed / WRY_PAGE_SIZE; page++)
        bits_remove(write->arrived, page % loader->window_pages);
    if (write->consumed - write->reported >= REPORT_EVERY)
        loader->progress_due = true;
}

/* *ended: the stream is complete and decoded. */
static enum loader_stream_step unpack(struct wry_loader *loader, bool *ended)
{
    uint32_t room = room_ahead(loader), before = loader->inflate->total;
    struct wry_inflate_input input = arrived(loader);
    size_t given = input.n;

    *ended = false;
    if (room == 0)
        return LOADER_STREAM_IDLE;
    /* Runs even without input: the last bytes may be in bits taken before. */
    enum wry_inflate_result result = wry_inflate_run(loader->inflate, &input, room);
    uint32_t unpacked = loader->inflate->total - before;
    *ended = result == WRY_INFLATE_END;
    if (result == WRY_INFLATE_DAMAGED)
        return LOADER_STREAM_WRONG;
    if (given == input.n && unpacked == 0)
        return LOADER_STREAM_IDLE;
    use(loader, (uint32_t)(given - input.n));
    loader->port->worked(loader->port->context, WRY_WORK_UNPACK, (uint32_t)(given - input.n));
    loader->port->worked(loader->port->context, WRY_WORK_COPY, unpacked);
    return LOADER_STREAM_BUSY;
}

enum loader_stream_step loader_stream_step(struct wry_loader *loader)
{
    bool ended;
    enum loader_stream_step step = unpack(loader, &ended);

    if (step == LOADER_STREAM_WRONG)
        return step;
    if (loader_stream_is_difference(loader)) {
        enum loader_stream_step put = loader_difference_step(loader);
        if (put != LOADER_STREAM_IDLE)
            return put;
        ended = ended && loader->write.taken == loader->inflate->total;
    }
    return ended && loader_stream_ready(loader) < loader->write.end ? LOADER_STREAM_WRONG : step;
}
