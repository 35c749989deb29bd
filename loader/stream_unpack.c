/*
 * Jobs whose content arrives as a stream.
 *
 * The window then holds pages of the stream, and its positions count stream bytes. Decoded bytes
 * appear in the dictionary, also a ring. They are the content, and are programmed from there; or
 * records, from which content is computed into a separate ring. Both run ahead of the flash by at
 * most their ring and continue while the flash is busy.
 */
#include "loader_inner.h"

#include "bytes/bits.h"

enum {
    STREAM_SLICE = 256, /* bytes in or out in one step, */
    LZMA_SLICE = 64,    /* and of LZMA, which takes longer: the flash waits for the end of a step */
    REPORT_EVERY = 2048, /* bytes of stream decoded between progress messages */
};

bool loader_stream_is_built_in(void)
{
    return true;
}

uint8_t loader_stream_filters(const struct wry_loader *loader)
{
    return loader->layouts[0].dictionary > 0 ? 1u << WRY_FILTER_RISCV | 1u << WRY_FILTER_THUMB |
                                                   1u << WRY_FILTER_ARM | 1u << WRY_FILTER_ARM64
                                             : 0;
}

static bool has_records(const struct wry_loader *loader)
{
    return loader->write.coding == WRY_CODING_DIFFERENCE ||
           loader->write.coding == WRY_CODING_LZMA_DIFFERENCE;
}

bool loader_stream_can(const struct wry_loader *loader, const struct wry_erase_message *erase,
                       uint8_t flags)
{
    uint8_t coding = erase->coding;
    bool with_old = wry_coding_needs_old(coding);
    const struct wry_loader_layout *layout = &loader->layouts[with_old];

    if (coding == 0 || coding > WRY_CODING_LZMA_OLD || (with_old && layout->old_block == 0))
        return false;
    if (loader_is_lzma(coding) && !loader_lzma_can(erase))
        return false;
    if (erase->filter != WRY_FILTER_NONE && (with_old || !wry_branch_filter_exists(erase->filter)))
        return false;
    if ((flags & WRY_FLAG_DOWN) && coding != WRY_CODING_LZMA_OLD)
        return false;
    if (coding == WRY_CODING_LZMA_OLD &&
        (erase->old_length == 0 || erase->old_length % WRY_SECTOR_SIZE != 0 ||
         erase->old_length > loader->capacity - erase->range.offset))
        return false;
    return erase->window >= WRY_INFLATE_WINDOW_LEAST && erase->window <= layout->dictionary;
}

void loader_stream_begin(struct wry_loader *loader, const struct wry_erase_message *erase)
{
    struct wry_loader_write *write = &loader->write;

    write->received = write->consumed = write->reported = 0;
    write->old_length = erase->coding == WRY_CODING_LZMA_OLD ? erase->old_length : 0;
    if (loader_is_lzma(write->coding))
        loader_lzma_begin(loader, erase->parameters);
    else
        wry_inflate_init(loader->inflate, loader->dictionary, loader->layout.dictionary);
    if (has_records(loader))
        wry_difference_init(&loader->difference, write->start);
    loader_filter_begin(loader, erase->filter);
}

bool loader_stream_keeps_old(const struct wry_loader *loader)
{
    return wry_coding_needs_old(loader->write.coding);
}

uint32_t loader_stream_ready(const struct wry_loader *loader)
{
    return has_records(loader) ? loader->difference.at
                               : loader->write.start + loader_stream_unpacked(loader);
}

bool loader_stream_may_erase(const struct wry_loader *loader)
{
    return !loader_stream_keeps_old(loader) || loader_stream_ready(loader) >= loader->write.erased;
}

bool loader_stream_has_page(const struct wry_loader *loader, uint32_t position)
{
    uint32_t ready = loader_stream_ready(loader), ahead = loader_filter_ahead(loader);

    return ready == loader->write.end ? ready > position
                                      : ready >= position + WRY_PAGE_SIZE + ahead;
}

void loader_stream_prepare(struct wry_loader *loader)
{
    const struct wry_loader_restored *restored = &loader->restored;
    uint32_t programmed = loader->write.programmed;
    /* The operation may be of a cancelled job: what to restore follows from the pages alone. */
    uint32_t next =
        restored->pages > 0 ? restored->offset + restored->pages * WRY_PAGE_SIZE : programmed;

    if (loader_filter_ahead(loader) > 0 && next <= programmed + WRY_PAGE_SIZE &&
        loader_stream_has_page(loader, next))
        loader_filter_page(loader, next);
}

const uint8_t *loader_stream_page(struct wry_loader *loader, uint32_t position)
{
    uint32_t at = position - loader->write.start;

    if (loader_is_down(loader))
        return loader_lzma_page(loader, position);
    if (loader_filter_ahead(loader) > 0)
        return loader_filter_page(loader, position);
    return has_records(loader) ? loader->fresh + (at & (loader->layout.fresh - 1))
                               : loader->dictionary + (at & (loader->layout.dictionary - 1));
}

static uint32_t slice(const struct wry_loader *loader)
{
    return loader_is_lzma(loader->write.coding) ? LZMA_SLICE : STREAM_SLICE;
}

/* Bytes that may be decoded now. New content that refers to old one needs that to be saved. */
static uint32_t room_ahead(const struct wry_loader *loader)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t done = loader_stream_unpacked(loader), dictionary = loader->layout.dictionary;

    if (has_records(loader))
        return loader_least(dictionary - (done - write->taken), slice(loader));
    uint32_t ahead = done - (write->programmed - write->start);
    uint32_t left = write->end - write->start - done;
    if (write->coding == WRY_CODING_LZMA_OLD)
        left = write->scan == write->scan_end ? write->scan_end - write->start - done : 0;
    return loader_least(loader_least(dictionary - ahead, left), slice(loader));
}

/* The unused input that has arrived in order and lies in one piece. */
static uint32_t arrived(const struct wry_loader *loader, const uint8_t **bytes)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t size = (uint32_t)loader->layout.window_pages * WRY_PAGE_SIZE;
    uint32_t at = write->consumed % size;
    uint32_t n = write->received - write->consumed;

    *bytes = loader->window + at;
    return loader_least(loader_least(n, size - at), STREAM_SLICE);
}

/* Frees the pages that are used up. */
static void use(struct wry_loader *loader, uint32_t n)
{
    struct wry_loader_write *write = &loader->write;
    uint32_t page = write->consumed / WRY_PAGE_SIZE;

    write->consumed += n;
    for (; page < write->consumed / WRY_PAGE_SIZE; page++)
        bits_remove(write->arrived, page % loader->layout.window_pages);
    if (write->consumed - write->reported >= REPORT_EVERY)
        loader->progress_due = true;
}

static enum loader_unpacked inflate(struct wry_loader *loader, const uint8_t *bytes, uint32_t n,
                                    uint32_t room, uint32_t *used)
{
    struct wry_inflate_input input = {.bytes = bytes, .n = n};
    uint32_t before = loader->inflate->total;
    /* Runs even without input: the last bytes may be in bits taken before. */
    enum wry_inflate_result result = wry_inflate_run(loader->inflate, &input, room);

    *used = n - (uint32_t)input.n;
    loader->port->worked(loader->port->context, WRY_WORK_UNPACK, *used);
    loader->port->worked(loader->port->context, WRY_WORK_COPY, loader->inflate->total - before);
    return result == WRY_INFLATE_END       ? LOADER_UNPACKED_ALL
           : result == WRY_INFLATE_DAMAGED ? LOADER_UNPACKED_WRONG
                                           : LOADER_UNPACKED_SOME;
}

/* *ended: the stream is complete and decoded. */
static enum loader_stream_step unpack(struct wry_loader *loader, bool *ended)
{
    uint32_t room = room_ahead(loader), before = loader_stream_unpacked(loader), used = 0;
    const uint8_t *bytes;
    uint32_t n = arrived(loader, &bytes);

    *ended = false;
    if (room == 0)
        return LOADER_STREAM_IDLE;
    enum loader_unpacked result = loader_is_lzma(loader->write.coding)
                                      ? loader_lzma_run(loader, bytes, n, room, &used)
                                      : inflate(loader, bytes, n, room, &used);
    *ended = result == LOADER_UNPACKED_ALL;
    if (result == LOADER_UNPACKED_WRONG)
        return LOADER_STREAM_WRONG;
    use(loader, used);
    return used > 0 || loader_stream_unpacked(loader) != before ? LOADER_STREAM_BUSY
                                                                : LOADER_STREAM_IDLE;
}

void loader_stream_fetch(struct wry_loader *loader)
{
    uint32_t room = room_ahead(loader);

    if (room > 0)
        loader_lzma_fetch(loader, room);
}

enum loader_stream_step loader_stream_step(struct wry_loader *loader)
{
    bool ended;
    enum loader_stream_step step = unpack(loader, &ended);

    if (step == LOADER_STREAM_WRONG)
        return step;
    if (has_records(loader)) {
        enum loader_stream_step put = loader_difference_step(loader);
        if (put != LOADER_STREAM_IDLE)
            return put;
        ended = ended && loader->write.taken == loader_stream_unpacked(loader);
    }
    return ended && loader_stream_ready(loader) < loader->write.end ? LOADER_STREAM_WRONG : step;
}
