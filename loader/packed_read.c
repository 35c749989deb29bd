/*
 * Packed reads: the range of a request is sent as one deflate stream.
 *
 * Only one stream is encoded at a time, in memory that a write would use; the two never happen
 * together. Encoding is deterministic, so a lost page of a stream can be produced again.
 */
#include "loader_inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

enum {
    PACK_SLICE = 256, /* bytes of content encoded in one step */
    SCAN_SLICE = 512,
    STREAM_MOST =
        2 * WRY_PAYLOAD_MAX, /* bytes of stream waiting for the line while more is encoded */
};

/* Layout of the memory during a packed read. */
struct packing {
    uint32_t at; /* stream offset of the waiting bytes, whole pages */
    size_t waiting;
    struct wry_deflate deflate;
    uint8_t stream[STREAM_MOST + WRY_DEFLATE_TAKE_LEAST];
};

void loader_packed_divide(struct wry_loader *loader)
{
    loader_cache_divide(loader, sizeof(struct packing) + WRY_DEFLATE_MEMORY_MOST);
}

bool loader_packed_can(const struct wry_loader *loader)
{
    return loader->memory_size >= sizeof(struct packing) + WRY_DEFLATE_MEMORY_LEAST;
}

void loader_packed_drop(struct wry_loader *loader)
{
    loader->packing = false;
    loader_cache_drop(loader);
}

static struct packing *begin(struct wry_loader *loader)
{
    struct packing *packing = (struct packing *)(void *)loader->memory;

    if (!loader->packing) {
        packing->at = 0;
        packing->waiting = 0;
        wry_deflate_init(&packing->deflate, packing + 1,
                         loader->memory_size - loader->cache_size - sizeof *packing);
        if (loader->reads[0].quick)
            wry_deflate_set_quick(&packing->deflate);
        loader_cache_begin(loader, loader->reads[0].start, loader->reads[0].end);
        loader->packing = true;
    }
    return packing;
}

static void drop(struct packing *packing, size_t n)
{
    packing->at += (uint32_t)n;
    packing->waiting -= n;
    memmove(packing->stream, packing->stream + n, packing->waiting);
}

static bool is_wanted(const struct wry_loader_read *read, uint32_t at)
{
    uint32_t page = at / WRY_PAGE_SIZE;

    return !read->chosen || (page < WRY_READ_PAGES && bits_has(read->wanted, page));
}

/* Sends the waiting bytes, or skips them if they are not wanted. */
static void send_frame(struct wry_loader *loader, struct packing *packing)
{
    const struct wry_loader_read *read = &loader->reads[0];
    size_t most = packing->waiting < read->frame_max ? packing->waiting : read->frame_max;
    bool wanted = is_wanted(read, packing->at);
    uint32_t n = 0;

    while (n < most && is_wanted(read, packing->at + n) == wanted)
        n += WRY_PAGE_SIZE;
    n = n < most ? n : (uint32_t)most;
    if (wanted) {
        loader_read_send(loader, read->seq,
                         &(struct wry_data_message){.offset = packing->at,
                                                    .length = n,
                                                    .encoding = WRY_ENCODING_STREAM,
                                                    .payload = packing->stream,
                                                    .payload_length = n});
    }
    drop(packing, n);
}

/* Puts in the next content, or ends it. */
static void put_content(struct wry_loader *loader, struct packing *packing)
{
    struct wry_loader_read *read = &loader->reads[0];
    size_t room = wry_deflate_room(&packing->deflate);
    uint32_t left = read->end - read->at;
    uint32_t n = room < PACK_SLICE ? (uint32_t)room : PACK_SLICE;

    if (left == 0) {
        wry_deflate_finish(&packing->deflate);
        return;
    }
    n = n < left ? n : left;
    loader_flash_read(loader, read->at, loader->slice, n);
    wry_deflate_put(&packing->deflate, loader->slice, n);
    enum wry_work kind = wry_bytes_blank(loader->slice, n) ? WRY_WORK_PACK_RUN
                         : read->quick                     ? WRY_WORK_PACK_QUICK
                                                           : WRY_WORK_PACK;
    loader->port->worked(loader->port->context, kind, n);
    if (n == WRY_PAGE_SIZE)
        loader_digest_page(loader, read->at, loader->slice);
    read->at += n;
}

/* Scans for content that is not blank; blank ranges need no stream. True once there is some. */
static bool find_content(struct wry_loader *loader)
{
    struct wry_loader_read *read = &loader->reads[0];
    uint32_t left = read->end - read->at;
    uint32_t n = left < SCAN_SLICE ? left : SCAN_SLICE;

    if (read->at % WRY_SECTOR_SIZE == 0 && left >= WRY_SECTOR_SIZE &&
        loader_digest_saw_blank(loader, read->at)) {
        read->at += WRY_SECTOR_SIZE;
        return false;
    }
    loader_flash_read(loader, read->at, loader->slice, n);
    loader->port->worked(loader->port->context, WRY_WORK_SCAN, n);
    if (!wry_bytes_blank(loader->slice, n)) {
        read->at = read->start;
        return true;
    }
    loader_digest_blanks(loader, read->at, n);
    read->at += n;
    return false;
}

/* A stream of length 0 stands for blank content. */
static void end(struct wry_loader *loader, uint32_t stream_length)
{
    loader_cache_send_end(loader, &loader->reads[0], stream_length);
    loader->packing = false;
    loader_read_end(loader, 0);
}

bool loader_packed_step(struct wry_loader *loader)
{
    const struct wry_loader_read *read = &loader->reads[0];
    bool has_room = loader_output_has_room(loader, WRY_BODY_MAX);

    if (!loader->packing && read->at == read->end) {
        if (has_room)
            end(loader, 0);
        return has_room;
    }
    if (!loader->packing && !find_content(loader))
        return true;
    struct packing *packing = begin(loader);
    bool over = wry_deflate_is_over(&packing->deflate);

    if (has_room && (packing->waiting >= read->frame_max || (over && packing->waiting > 0))) {
        send_frame(loader, packing);
        return true;
    }
    if (over || packing->waiting >= STREAM_MOST) {
        if (has_room && over) {
            loader_cache_end(loader);
            end(loader, packing->at);
        }
        return has_room;
    }
    size_t room = STREAM_MOST - packing->waiting + WRY_DEFLATE_TAKE_LEAST;
    size_t n = wry_deflate_take(&packing->deflate, packing->stream + packing->waiting, room);
    loader_cache_add(loader, packing->stream + packing->waiting, n);
    packing->waiting += n;
    if (n == 0)
        put_content(loader, packing);
    return true;
}
