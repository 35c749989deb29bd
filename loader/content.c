/*
 * Consistency of flash content during writes: a write reports how far its range is settled, and a
 * digest goes no further than that and restarts if content behind it changes.
 */
#include "loader_inner.h"

void loader_content_unsettled(struct wry_loader *loader, uint32_t start, uint32_t end)
{
    loader->content.unsettled_start = start;
    loader->content.unsettled_end = end;
}

uint32_t loader_content_settled(const struct wry_loader *loader, uint32_t start, uint32_t end)
{
    const struct wry_loader_content *content = &loader->content;

    if (content->unsettled_start >= content->unsettled_end || end <= content->unsettled_start ||
        start >= content->unsettled_end)
        return end;
    return start > content->unsettled_start ? start : content->unsettled_start;
}

void loader_content_watch(struct wry_loader *loader, uint32_t start, uint32_t end)
{
    loader->content.watch_start = start;
    loader->content.watch_end = end;
    loader->content.watch_broken = false;
}

void loader_content_changes(struct wry_loader *loader, uint32_t offset, uint32_t length)
{
    struct wry_loader_content *content = &loader->content;

    content->watch_broken |= offset < content->watch_end && offset + length > content->watch_start;
}
