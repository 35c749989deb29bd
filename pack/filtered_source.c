/* Filtered content. A filter is chosen by trying each: samples of the content mislead too often. */
#include "filtered_source.h"

#include <stdlib.h>
#include <string.h>

#include "wrytograph/flash.h"

enum {
    LEVEL = 1,       /* of zlib, in the trial */
    MOST = 0x400000, /* bytes of content tried */
    WORTH = 200,     /* a filter must gain one part of so many */
};

static size_t packed_size(const uint8_t *bytes, size_t n)
{
    uint8_t out[PACK_PIECE];
    z_stream z = {.next_in = (Bytef *)bytes, .avail_in = (uInt)n};
    int said = deflateInit2(&z, LEVEL, Z_DEFLATED, -15, 9, Z_DEFAULT_STRATEGY);

    while (said == Z_OK) {
        z.next_out = out;
        z.avail_out = sizeof out;
        said = deflate(&z, Z_FINISH);
    }
    size_t size = said == Z_STREAM_END ? z.total_out : SIZE_MAX;
    deflateEnd(&z);
    return size;
}

static uint8_t best_filter(const struct wry_packing *packing, const uint8_t *content, uint8_t *copy,
                           uint32_t n)
{
    size_t plain = packed_size(content, n), least = plain - plain / WORTH;
    uint8_t best = WRY_FILTER_NONE;

    for (uint8_t kind = WRY_FILTER_RISCV; wry_branch_filter_exists(kind); kind++) {
        struct wry_branch_filter filter = {.kind = kind, .at = packing->offset};
        if (!(packing->filters & 1u << kind))
            continue;
        memcpy(copy, content, n);
        wry_branch_filter_run(&filter, copy, n);
        size_t size = packed_size(copy, n);
        if (size < least) {
            least = size;
            best = kind;
        }
    }
    return best;
}

bool pack_filter_choose(const struct wry_packing *packing, uint8_t *filter)
{
    uint32_t n = packing->length < MOST ? packing->length : MOST;
    uint8_t *content = packing->filters ? malloc((size_t)n * 2) : NULL;
    bool good = true;

    *filter = WRY_FILTER_NONE;
    if (packing->filters & PACK_FILTER_DECIDED) {
        while (packing->filters >> (*filter + 1) > 0)
            ++*filter;
        free(content);
        return true;
    }
    if (!content)
        return true;
    for (uint32_t at = 0; at < n && good; at += WRY_SECTOR_SIZE) {
        uint32_t piece = n - at < WRY_SECTOR_SIZE ? n - at : WRY_SECTOR_SIZE;
        good = packing->content.read(packing->content.context, at, content + at, piece);
    }
    if (good)
        *filter = best_filter(packing, content, content + n, n);
    free(content);
    return good;
}

void pack_filtered_begin(struct pack_filtered *filtered, const struct pack_source *source,
                         uint8_t filter, uint32_t offset)
{
    filtered->source = *source;
    filtered->filter = (struct wry_branch_filter){.kind = filter, .at = offset};
    filtered->over = false;
    filtered->fill = filtered->done = 0;
}

bool pack_filtered_take(struct pack_filtered *f, uint8_t *to, size_t room, size_t *given)
{
    while (f->done == 0 && !f->over) {
        size_t n;
        if (!f->source.take(f->source.context, f->buffer + f->fill, PACK_PIECE - f->fill, &n))
            return false;
        f->fill += n;
        f->over = n == 0;
        f->done = f->over ? f->fill : wry_branch_filter_run(&f->filter, f->buffer, f->fill);
    }
    size_t n = f->done < room ? f->done : room;
    memcpy(to, f->buffer, n);
    memmove(f->buffer, f->buffer + n, f->fill - n);
    f->fill -= n;
    f->done -= n;
    *given = n;
    return true;
}
