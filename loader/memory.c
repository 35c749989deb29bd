/*
 * Division of the board's memory: the dictionary and the inflater, if there is enough for them;
 * then what difference streams need, which is a block of old content with some history, as large as
 * the memory allows, and a little new content; the window gets the rest.
 */
#include "loader_inner.h"

#include "bytes/memory.h"

enum {
    DICTIONARY_LEAST = 4096,
    ALIGNMENT = 8,
    WINDOW_PAGES_MAX =
        240, /* pages: fewer than the 256 of a progress message, since each needs a bit in it */
};

/* Memory for differences, by the memory left. */
struct share {
    uint32_t block, history_most, fresh;
    uint32_t window; /* least bytes of memory left */
};

static const struct share shares[] = {
    {.block = 0x10000, .history_most = 0x10000, .fresh = 8192, .window = 60 * 1024},
    {.block = WRY_SECTOR_SIZE, .history_most = 0x4000, .fresh = 2048, .window = 24 * 1024},
};

/* The largest power of two up to a quarter of the memory: beyond that, a larger window is worth
 * more. */
static uint32_t dictionary_for(size_t size)
{
    uint32_t dictionary = WRY_INFLATE_WINDOW_MAX;

    while (dictionary > size / 4)
        dictionary /= 2;
    return dictionary >= DICTIONARY_LEAST ? dictionary : 0;
}

static uint8_t *take(uint8_t **at, size_t *size, size_t n)
{
    uint8_t *taken = *at;

    *at += n;
    *size -= n;
    return taken;
}

/* Chooses the largest blocks that leave a sector of history. */
static void keep_old(struct wry_loader *loader, uint8_t **at, size_t *size)
{
    loader->old_block = 0;
    for (size_t i = 0; i < sizeof shares / sizeof shares[0] && loader->old_block == 0; i++) {
        const struct share *share = &shares[i];
        size_t needed = (size_t)share->window + share->fresh + share->block;
        if (*size < needed + WRY_SECTOR_SIZE)
            continue;
        uint32_t history = (uint32_t)(*size - needed) / WRY_SECTOR_SIZE * WRY_SECTOR_SIZE;
        loader->old_block = share->block;
        loader->old_size =
            share->block + (history < share->history_most ? history : share->history_most);
        loader->fresh_size = share->fresh;
        loader->old = take(at, size, loader->old_size);
        loader->fresh = take(at, size, loader->fresh_size);
    }
}

void loader_memory_divide(struct wry_loader *loader, void *memory, size_t size)
{
    uint8_t *at = memory;

    take(&at, &size, (ALIGNMENT - (uintptr_t)at % ALIGNMENT) % ALIGNMENT);
    loader->memory = at;
    loader->memory_size = size;
    loader->dictionary_size = loader_stream_is_built_in() ? dictionary_for(size) : 0;
    if (loader->dictionary_size > 0) {
        loader->inflate = (struct wry_inflate *)(void *)take(&at, &size, sizeof *loader->inflate);
        loader->dictionary = take(&at, &size, loader->dictionary_size);
        keep_old(loader, &at, &size);
    }
    size_t pages = size / WRY_PAGE_SIZE;
    loader->window = at;
    loader->window_pages = (uint16_t)(pages < WINDOW_PAGES_MAX ? pages : WINDOW_PAGES_MAX);
}
