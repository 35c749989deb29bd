/*
 * LZMA streams. One that refers to old content has it as if it came before the new one. From the
 * end down all is reversed, byte by byte: the stream then has everything below a place, and of what
 * is above as much as is kept. What neither the window nor the ring of old content has is read from
 * the flash, which takes place between two of its operations.
 */
#include "loader_inner.h"

bool loader_lzma_is_built_in(void)
{
    return true;
}

bool loader_lzma_can(const struct wry_erase_message *erase)
{
    return wry_lzma_supports(erase->parameters);
}

void loader_lzma_begin(struct wry_loader *loader, uint8_t parameters)
{
    wry_lzma_init(loader->lzma, parameters, loader->dictionary, loader->layout.dictionary,
                  loader->write.old_length);
}

static void reverse(uint8_t *bytes, uint32_t n)
{
    for (uint32_t i = 0; i < n / 2; i++) {
        uint8_t byte = bytes[i];
        bytes[i] = bytes[n - 1 - i];
        bytes[n - 1 - i] = byte;
    }
}

/* The flash offset of the n bytes that begin at a place, counted within length bytes. */
static uint32_t offset_of(const struct wry_loader *loader, uint32_t length, uint32_t place,
                          uint32_t n)
{
    uint32_t start = loader->write.start;

    return loader_is_down(loader) ? start + length - place - n : start + place;
}

/* Copies old content from a place on. */
static uint32_t fetch_old(struct wry_loader *loader, uint32_t place, uint8_t *to, uint32_t n,
                          bool *lost)
{
    uint32_t length = loader->write.old_length;

    if (!loader_is_down(loader))
        return loader_old_fetch(loader, offset_of(loader, length, place, n), to, n, lost);
    /* What is had in one piece ends somewhere below: then a byte at a time. */
    uint32_t got = loader_old_fetch(loader, offset_of(loader, length, place, n), to, n, lost);
    if (got == n && !*lost)
        return n;
    *lost = false;
    return loader_old_fetch(loader, offset_of(loader, length, place, 1), to, 1, lost);
}

/* Copies some of the bytes that the decoder needs; 0 while they must wait. */
static uint32_t fetch(struct wry_loader *loader, uint8_t *to, uint32_t n, uint32_t back, bool *lost)
{
    const struct wry_loader_write *write = &loader->write;
    uint32_t total = loader->lzma->total;

    if (back > total) {
        n = fetch_old(loader, write->old_length - (back - total), to, n, lost);
    } else if (loader->op == WRY_OP_NONE) {
        loader_flash_read(loader, offset_of(loader, write->end - write->start, total - back, n), to,
                          n);
    } else {
        return 0;
    }
    if (loader_is_down(loader))
        reverse(to, n);
    return n;
}

/* Provides what the decoder waits for, if it waits and that can be had now. */
static bool provide(struct wry_loader *loader, uint32_t end, bool *lost)
{
    uint8_t bytes[WRY_LZMA_MATCH_MOST];
    uint32_t back, n = wry_lzma_far(loader->lzma, &back);

    n = loader_least(n, end - loader->lzma->total);
    if (n > 0)
        n = fetch(loader, bytes, n, back, lost);
    if (n > 0)
        wry_lzma_supply(loader->lzma, bytes, n);
    return n > 0;
}

bool loader_lzma_fetch(struct wry_loader *loader, uint32_t room)
{
    bool lost = false;

    return provide(loader, loader->lzma->total + room, &lost);
}

enum loader_unpacked loader_lzma_run(struct wry_loader *loader, const uint8_t *bytes, uint32_t n,
                                     uint32_t room, uint32_t *used)
{
    struct wry_lzma_input input = {.bytes = bytes, .n = n};
    uint32_t before = loader->lzma->total, end = before + room;
    enum wry_lzma_result result = wry_lzma_run(loader->lzma, &input, room);
    bool lost = false;

    while (result == WRY_LZMA_FAR && provide(loader, end, &lost))
        result = wry_lzma_run(loader->lzma, &input, end - loader->lzma->total);
    *used = n - (uint32_t)input.n;
    loader->port->worked(loader->port->context, WRY_WORK_LZMA, *used);
    loader->port->worked(loader->port->context, WRY_WORK_COPY, loader->lzma->total - before);
    return result == WRY_LZMA_END               ? LOADER_UNPACKED_ALL
           : result == WRY_LZMA_DAMAGED || lost ? LOADER_UNPACKED_WRONG
                                                : LOADER_UNPACKED_SOME;
}

/* A page of a stream that comes from the end down. */
const uint8_t *loader_lzma_page(struct wry_loader *loader, uint32_t position)
{
    struct wry_loader_restored *page = &loader->restored;

    if (page->pages > 0 && page->offset == position)
        return page->bytes;
    loader_stream_copy(loader, position, page->bytes, WRY_PAGE_SIZE);
    reverse(page->bytes, WRY_PAGE_SIZE);
    page->offset = position;
    page->pages = 1;
    return page->bytes;
}
