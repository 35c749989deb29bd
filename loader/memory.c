/*
 * Dividing the memory that the board gives: a dictionary and the state of the inflater where there
 * is enough for them, and the window with all that is left.
 */
#include "inner.h"

#include "bytes/memory.h"

enum {
    DICTIONARY_LEAST = 4096,
    ALIGNMENT = 8,
    WINDOW_PAGES_MAX = 240, /* of the 256 that progress can tell of: more bitmap costs more */
};

/* The largest power of two that is at most a quarter: more window is worth more than that. */
static uint32_t dictionary_for(size_t size)
{
    uint32_t dictionary = WRY_INFLATE_WINDOW_MAX;

    while (dictionary > size / 4)
        dictionary /= 2;
    return dictionary >= DICTIONARY_LEAST ? dictionary : 0;
}

void loader_memory_divide(struct wry_loader *loader, void *memory, size_t size)
{
    uint8_t *at = memory;
    size_t skipped = (ALIGNMENT - (uintptr_t)at % ALIGNMENT) % ALIGNMENT;

    at += skipped;
    size -= skipped;
    loader->dictionary_size = dictionary_for(size);
    if (loader->dictionary_size > 0) {
        loader->inflate = (struct wry_inflate *)(void *)at;
        at += sizeof *loader->inflate;
        loader->dictionary = at;
        at += loader->dictionary_size;
        size -= sizeof *loader->inflate + loader->dictionary_size;
    }
    size_t pages = size / WRY_PAGE_SIZE;
    loader->window = at;
    loader->window_pages = (uint16_t)(pages < WINDOW_PAGES_MAX ? pages : WINDOW_PAGES_MAX);
}
