/*
 * Division of the board's memory, anew for each job: the decoder and its dictionary, if there is
 * enough for them; then, for jobs with old content, a block of that with some history, as large as
 * the memory allows, and a little new content; the window gets the rest.
 */
#include "loader_inner.h"

#include "bytes/memory.h"

enum {
    DICTIONARY_LEAST = 4096,
    DICTIONARY_MOST = 0x10000, /* one erase unit: decoding goes on while that is erased */
    ALIGNMENT = 8,
    WINDOW_PAGES_MAX =
        240, /* pages: fewer than the 256 of a progress message, since each needs a bit in it */
};

/* Memory for jobs with old content, by the memory left. */
struct share {
    uint32_t block, history_most, fresh;
    uint32_t dictionary_most;
    uint32_t window; /* least bytes of memory left */
};

static const struct share shares[] = {
    {0x10000, 0x10000, 8192, 0x8000, 28 * 1024},
    {0x8000, 0x4000, 2048, 4096, 18 * WRY_PAGE_SIZE},
    {WRY_SECTOR_SIZE, 0x4000, 2048, 4096, 18 * WRY_PAGE_SIZE},
};

static uint32_t decoder_size(void)
{
    uint32_t lzma = loader_lzma_is_built_in() ? sizeof(struct wry_lzma) : 0;
    uint32_t size = lzma > sizeof(struct wry_inflate) ? lzma : sizeof(struct wry_inflate);

    return (size + ALIGNMENT - 1) / ALIGNMENT * ALIGNMENT;
}

/* The largest power of two that leaves as much for the window. */
static uint32_t dictionary_for(size_t size)
{
    uint32_t dictionary = DICTIONARY_MOST;

    while (dictionary >= DICTIONARY_LEAST && 2 * dictionary + decoder_size() > size)
        dictionary /= 2;
    return dictionary >= DICTIONARY_LEAST ? dictionary : 0;
}

static uint16_t pages_in(size_t size)
{
    return (uint16_t)loader_least((uint32_t)(size / WRY_PAGE_SIZE), WINDOW_PAGES_MAX);
}

/* Jobs with old content, with the largest blocks that fit. */
static struct wry_loader_layout layout_with_old(size_t size, uint32_t dictionary)
{
    struct wry_loader_layout layout = {0};

    for (size_t i = 0; i < sizeof shares / sizeof shares[0] && layout.old_block == 0; i++) {
        const struct share *share = &shares[i];
        uint32_t most = loader_least(dictionary, share->dictionary_most);
        size_t needed = (size_t)decoder_size() + most + share->fresh + share->block + share->window;
        if (most == 0 || size < needed)
            continue;
        uint32_t history = (uint32_t)(size - needed) / WRY_SECTOR_SIZE * WRY_SECTOR_SIZE;
        layout.dictionary = most;
        layout.fresh = share->fresh;
        layout.old_block = share->block;
        layout.old_size = share->block + loader_least(history, share->history_most);
        layout.window_pages =
            pages_in(size - needed + share->block + share->window - layout.old_size);
    }
    return layout;
}

void loader_memory_use(struct wry_loader *loader, bool with_old)
{
    const struct wry_loader_layout *layout = &loader->layouts[with_old];
    uint8_t *at = loader->memory;

    loader->layout = *layout;
    if (layout->dictionary > 0) {
        loader->inflate = (struct wry_inflate *)(void *)at;
        loader->lzma = (struct wry_lzma *)(void *)at;
        loader->dictionary = at + decoder_size();
        loader->fresh = loader->dictionary + layout->dictionary;
        loader->old = loader->fresh + layout->fresh;
        at = loader->old + layout->old_size;
    }
    loader->window = at;
}

void loader_memory_divide(struct wry_loader *loader, void *memory, size_t size)
{
    size_t skip = (ALIGNMENT - (uintptr_t)memory % ALIGNMENT) % ALIGNMENT;
    uint32_t dictionary = loader_stream_is_built_in() ? dictionary_for(size - skip) : 0;

    loader->memory = (uint8_t *)memory + skip;
    loader->memory_size = size - skip;
    size_t decoder = dictionary > 0 ? decoder_size() + dictionary : 0;
    loader->layouts[0] = (struct wry_loader_layout){
        .dictionary = dictionary, .window_pages = pages_in(loader->memory_size - decoder)};
    loader->layouts[1] = layout_with_old(loader->memory_size, dictionary);
    if (loader->layouts[1].old_block == 0)
        loader->layouts[1] = loader->layouts[0];
    loader_memory_use(loader, false);
}
