/* Stubs for a loader without LZMA, in place of lzma_unpack.c. The host then sends deflate. */
#include "loader_inner.h"

bool loader_lzma_is_built_in(void)
{
    return false;
}

bool loader_lzma_can(const struct wry_erase_message *erase)
{
    (void)erase;
    return false;
}

void loader_lzma_begin(struct wry_loader *loader, uint8_t parameters)
{
    (void)loader, (void)parameters;
}

bool loader_lzma_fetch(struct wry_loader *loader, uint32_t room)
{
    (void)loader, (void)room;
    return false;
}

const uint8_t *loader_lzma_page(struct wry_loader *loader, uint32_t position)
{
    (void)position;
    return loader->window;
}

enum loader_unpacked loader_lzma_run(struct wry_loader *loader, const uint8_t *bytes, uint32_t n,
                                     uint32_t room, uint32_t *used)
{
    (void)loader, (void)bytes, (void)n, (void)room, (void)used;
    return LOADER_UNPACKED_WRONG;
}
