/* Content packed by zlib. */
#include "deflate.h"

#include <stdlib.h>
#include <zlib.h>

#include "wrytograph/message.h"

enum {
    PIECE = 16384, /* bytes of content taken at once */
    LEVEL = 9,
    MEMORY_LEVEL = 9,
    BITS_LEAST = 9, /* of the window, as zlib can */
    BITS_MOST = 15,
};

struct pack_deflate {
    struct wry_packer packer;
    struct wry_packing packing;
    uint32_t taken; /* bytes of content */
    bool begun;
    z_stream z;
    uint8_t piece[PIECE];
    uint8_t memory[2 * WRY_PACKER_MEMORY_LEAST];
};

static int bits_of(uint32_t window)
{
    int bits = 0;

    while (bits < BITS_MOST && UINT32_C(2) << bits <= window)
        bits++;
    return bits;
}

static bool begin(void *context, const struct wry_packing *packing)
{
    struct pack_deflate *d = context;
    int bits = bits_of(packing->window);

    if (packing->coding != WRY_CODING_DEFLATE || bits < BITS_LEAST)
        return false;
    if (d->begun)
        deflateEnd(&d->z);
    d->packing = *packing;
    d->taken = 0;
    d->z = (z_stream){0};
    d->begun =
        deflateInit2(&d->z, LEVEL, Z_DEFLATED, -bits, MEMORY_LEVEL, Z_DEFAULT_STRATEGY) == Z_OK;
    return d->begun;
}

static bool take_piece(struct pack_deflate *d)
{
    const struct wry_reader *content = &d->packing.content;
    uint32_t left = d->packing.length - d->taken;
    uint32_t n = left < PIECE ? left : PIECE;

    if (n > 0 && !content->read(content->context, d->taken, d->piece, n))
        return false;
    d->z.next_in = d->piece;
    d->z.avail_in = n;
    d->taken += n;
    return true;
}

static bool give(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct pack_deflate *d = context;
    z_stream *z = &d->z;
    int said = Z_OK;

    z->next_out = to;
    z->avail_out = (uInt)room;
    while (said == Z_OK && z->avail_out > 0) {
        if (z->avail_in == 0 && !take_piece(d))
            return false;
        said = deflate(z, d->taken == d->packing.length ? Z_FINISH : Z_NO_FLUSH);
    }
    *given = room - z->avail_out;
    return said == Z_OK || said == Z_STREAM_END;
}

struct pack_deflate *pack_deflate_new(void)
{
    struct pack_deflate *d = calloc(1, sizeof *d);

    if (d)
        d->packer = (struct wry_packer){.context = d,
                                        .begin = begin,
                                        .give = give,
                                        .memory = d->memory,
                                        .size = sizeof d->memory};
    return d;
}

void pack_deflate_free(struct pack_deflate *d)
{
    if (!d)
        return;
    if (d->begun)
        deflateEnd(&d->z);
    free(d);
}

const struct wry_packer *pack_deflate_packer(const struct pack_deflate *d)
{
    return &d->packer;
}
