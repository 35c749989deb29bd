/*
 * Filtered streams: pages are restored as they are needed. The dictionary keeps them as the stream
 * has them, since later content refers to that.
 */
#include "loader_inner.h"

#include "bytes/memory.h"

void loader_filter_begin(struct wry_loader *loader, uint8_t filter)
{
    loader->restored = (struct wry_loader_restored){
        .filter = {.kind = filter, .restores = true, .at = loader->write.start}};
}

uint32_t loader_filter_ahead(const struct wry_loader *loader)
{
    return loader->restored.filter.kind != WRY_FILTER_NONE ? WRY_FILTER_AHEAD : 0;
}

/* Adds the page that follows the others; of two, the first is dropped. */
static void restore_next(struct wry_loader *loader)
{
    struct wry_loader_restored *restored = &loader->restored;

    if (restored->pages == 2) {
        memmove(restored->bytes, restored->bytes + WRY_PAGE_SIZE, WRY_PAGE_SIZE + restored->ahead);
        restored->offset += WRY_PAGE_SIZE;
        restored->pages--;
    }
    uint8_t *page = restored->bytes + restored->pages * WRY_PAGE_SIZE;
    uint32_t position = restored->offset + restored->pages * WRY_PAGE_SIZE;
    /* What follows a page is needed for its last instruction, and a part of it is restored with it.
     */
    uint32_t n = loader_least(WRY_PAGE_SIZE + WRY_FILTER_AHEAD, loader->write.end - position);
    loader_stream_copy(loader, position + restored->ahead, page + restored->ahead,
                       n - restored->ahead);
    uint32_t at = restored->filter.at - position;
    wry_branch_filter_run(&restored->filter, page + at, n - at);
    loader->port->worked(loader->port->context, WRY_WORK_FILTER, WRY_PAGE_SIZE);
    restored->ahead = n - WRY_PAGE_SIZE;
    restored->pages++;
}

const uint8_t *loader_filter_page(struct wry_loader *loader, uint32_t position)
{
    struct wry_loader_restored *restored = &loader->restored;

    if (restored->pages == 0)
        restored->offset = position;
    if (position - restored->offset == restored->pages * WRY_PAGE_SIZE)
        restore_next(loader);
    return restored->bytes + (position - restored->offset);
}
