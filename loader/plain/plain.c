/*
 * Stubs for a loader without codings. They replace stream_unpack.c, stream_filter.c,
 * lzma_unpack.c, old_content.c, difference_apply.c, packed_read.c and stream_cache.c where there is
 * no room for them. The loader then reports none of these features, and the host does not use them.
 */
#include "loader_inner.h"

bool loader_stream_is_built_in(void)
{
    return false;
}

bool loader_lzma_is_built_in(void)
{
    return false;
}

uint8_t loader_stream_filters(const struct wry_loader *loader)
{
    (void)loader;
    return 0;
}

bool loader_stream_can(const struct wry_loader *loader, const struct wry_erase_message *erase,
                       uint8_t flags)
{
    (void)loader, (void)erase, (void)flags;
    return false;
}

void loader_stream_begin(struct wry_loader *loader, const struct wry_erase_message *erase)
{
    (void)loader, (void)erase;
}

bool loader_stream_keeps_old(const struct wry_loader *loader)
{
    (void)loader;
    return false;
}

bool loader_stream_has_page(const struct wry_loader *loader, uint32_t position)
{
    (void)loader, (void)position;
    return false;
}

void loader_stream_prepare(struct wry_loader *loader)
{
    (void)loader;
}

const uint8_t *loader_stream_page(struct wry_loader *loader, uint32_t position)
{
    (void)position;
    return loader->window;
}

void loader_stream_fetch(struct wry_loader *loader)
{
    (void)loader;
}

enum loader_stream_step loader_stream_step(struct wry_loader *loader)
{
    (void)loader;
    return LOADER_STREAM_IDLE;
}

bool loader_stream_may_erase(const struct wry_loader *loader)
{
    (void)loader;
    return true;
}

void loader_old_keep(struct wry_loader *loader, uint32_t offset, const uint8_t *bytes, uint32_t n)
{
    (void)loader, (void)offset, (void)bytes, (void)n;
}

void loader_packed_divide(struct wry_loader *loader)
{
    (void)loader;
}

bool loader_packed_can(const struct wry_loader *loader)
{
    (void)loader;
    return false;
}

void loader_packed_drop(struct wry_loader *loader)
{
    (void)loader;
}

bool loader_packed_step(struct wry_loader *loader)
{
    (void)loader;
    return false;
}

bool loader_cache_has(const struct wry_loader *loader, uint32_t start, uint32_t end)
{
    (void)loader, (void)start, (void)end;
    return false;
}

bool loader_cache_step(struct wry_loader *loader, size_t n)
{
    (void)loader, (void)n;
    return false;
}
