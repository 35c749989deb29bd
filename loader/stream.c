/*
 * Content that comes as a deflate stream.
 *
 * The window holds pages of the stream then, and its marks count stream bytes. What is unpacked
 * appears in the dictionary, a ring as well, and is programmed from there: the inflater runs ahead
 * of the flash by at most that ring, and goes on while the flash is busy.
 */
#include "inner.h"

#include "bytes/bits.h"

enum {
    STREAM_SLICE = 256,  /* bytes in or out at one turn */
    REPORT_EVERY = 2048, /* bytes used up that are worth a progress message of their own */
};

bool loader_stream_can(const struct wry_loader *loader, const struct wry_erase_message *erase)
{
    return erase->coding == WRY_CODING_DEFLATE && erase->window >= WRY_INFLATE_WINDOW_LEAST &&
           erase->window <= loader->dictionary_size;
}

void loader_stream_begin(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;

    write->received = write->consumed = write->reported = 0;
    wry_inflate_init(loader->inflate, loader->dictionary, loader->dictionary_size);
}

bool loader_stream_has_page(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;

    return loader->inflate->total >= write->programmed - write->start + WRY_PAGE_SIZE;
}

const uint8_t *loader_stream_page(const struct wry_loader *loader, uint32_t offset)
{
    return loader->dictionary + ((offset - loader->write.start) & (loader->dictionary_size - 1));
}

/* Bytes that may come out at this turn. */
static uint32_t room_ahead(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t done = loader->inflate->total;
    uint32_t ahead = done - (write->programmed - write->start);
    uint32_t left = write->end - write->start - done;
    uint32_t room = loader->dictionary_size - ahead < left ? loader->dictionary_size - ahead : left;

    return room < STREAM_SLICE ? room : STREAM_SLICE;
}

/* What has arrived in order and is not used yet, as far as it lies in one piece. */
static struct wry_inflate_input arrived(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t size = (uint32_t)loader->window_pages * WRY_PAGE_SIZE;
    uint32_t at = write->consumed % size;
    uint32_t n = write->received - write->consumed;

    n = n < size - at ? n : size - at;
    return (struct wry_inflate_input){.bytes = loader->window + at,
                                      .n = n < STREAM_SLICE ? n : STREAM_SLICE};
}

/* Pages that are used up make room for others. */
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

enum loader_stream_step loader_stream_step(struct wry_loader *loader)
{
    struct wry_loader_write *write = &loader->write;
    uint32_t room = room_ahead(loader), before = loader->inflate->total;
    struct wry_inflate_input input = arrived(loader);
    size_t given = input.n;

    if (room == 0)
        return LOADER_STREAM_IDLE;
    /* Also without input: the last bytes may be in bits that were taken before. */
    enum wry_inflate_result result = wry_inflate_run(loader->inflate, &input, room);
    uint32_t unpacked = loader->inflate->total - before;
    if (given == input.n && unpacked == 0 && result == WRY_INFLATE_INPUT)
        return LOADER_STREAM_IDLE;
    use(loader, (uint32_t)(given - input.n));
    loader->port->worked(loader->port->context, WRY_WORK_UNPACK, (uint32_t)(given - input.n));
    loader->port->worked(loader->port->context, WRY_WORK_COPY, unpacked);
    bool whole = loader->inflate->total == write->end - write->start;
    bool wrong = result == WRY_INFLATE_DAMAGED || (result == WRY_INFLATE_END && !whole);
    return wrong ? LOADER_STREAM_WRONG : LOADER_STREAM_BUSY;
}
