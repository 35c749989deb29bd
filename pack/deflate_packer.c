/* Deflate by zlib, at its highest level. */
#include "deflate_packer.h"

enum {
    LEVEL = 9,
    MEMORY_LEVEL = 9,
    BITS_LEAST = 9, /* smallest window of zlib, log2 of bytes */
    BITS_MOST = 15,
};

static int bits_of(uint32_t window)
{
    int bits = 0;

    while (bits < BITS_MOST && UINT32_C(2) << bits <= window)
        bits++;
    return bits;
}

bool pack_deflate_begin(struct pack_deflate *d, const struct pack_source *source, uint32_t window)
{
    int bits = bits_of(window);

    if (bits < BITS_LEAST)
        return false;
    pack_deflate_end(d);
    d->source = *source;
    d->over = false;
    d->z = (z_stream){0};
    d->begun =
        deflateInit2(&d->z, LEVEL, Z_DEFLATED, -bits, MEMORY_LEVEL, Z_DEFAULT_STRATEGY) == Z_OK;
    return d->begun;
}

static bool take_piece(struct pack_deflate *d)
{
    size_t given;

    if (!d->source.take(d->source.context, d->piece, sizeof d->piece, &given))
        return false;
    d->z.next_in = d->piece;
    d->z.avail_in = (uInt)given;
    d->over = given == 0;
    return true;
}

bool pack_deflate_give(struct pack_deflate *d, uint8_t *to, size_t room, size_t *given)
{
    z_stream *z = &d->z;
    int said = Z_OK;

    z->next_out = to;
    z->avail_out = (uInt)room;
    while (said == Z_OK && z->avail_out > 0) {
        if (z->avail_in == 0 && !d->over && !take_piece(d))
            break;
        said = deflate(z, d->over ? Z_FINISH : Z_NO_FLUSH);
    }
    *given = room - z->avail_out;
    if (said == Z_OK && *given == 0 && room > 0)
        return false; /* what was encoded before the content failed is given first */
    return said == Z_OK || said == Z_STREAM_END;
}

void pack_deflate_end(struct pack_deflate *d)
{
    if (d->begun)
        deflateEnd(&d->z);
    d->begun = false;
}
