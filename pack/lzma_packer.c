/* LZMA by liblzma. */
#include "lzma_packer.h"

#include <string.h>

#include "wrytograph/lzma.h"

enum {
    LEVEL = 6,
    NICE_LENGTH = 64,
    LONG_LENGTH = 273, /* the longest of LZMA */
    STEP = 1024,       /* bytes handed over at once, so that it is known how much is encoded */
    HELD = 5000,       /* bytes that liblzma looks ahead, approximately */
    QUICK_DEPTH = 16,  /* matches looked at, */
    CHAIN_DEPTH = 48,  /* of records */
    TREE_DEPTH = 32,
};

/* The search tree finds much more in records, but takes twice the time for them. */
static void set_search(lzma_options_lzma *options, const struct pack_lzma_form *form)
{
    options->nice_len = NICE_LENGTH;
    if (form->quick) {
        options->mf = LZMA_MF_HC4;
        options->depth = QUICK_DEPTH;
        options->mode = form->thorough ? LZMA_MODE_NORMAL : LZMA_MODE_FAST;
    } else if (form->records && form->thorough) {
        options->depth = TREE_DEPTH;
        options->nice_len = LONG_LENGTH;
    } else if (form->records) {
        options->mf = LZMA_MF_HC4;
        options->depth = CHAIN_DEPTH;
    }
}

bool pack_lzma_begin(struct pack_lzma *d, const struct pack_source *source,
                     const struct pack_lzma_form *form)
{
    lzma_options_lzma options;
    const lzma_filter filters[] = {{.id = LZMA_FILTER_LZMA1, .options = &options},
                                   {.id = LZMA_VLI_UNKNOWN}};

    pack_lzma_end(d);
    d->source = *source;
    d->over = d->ended = false;
    d->tail = WRY_LZMA_AHEAD;
    d->left = 0;
    d->stream = (lzma_stream)LZMA_STREAM_INIT;
    if (lzma_lzma_preset(&options, LEVEL))
        return false;
    options.dict_size = form->reach > LZMA_DICT_SIZE_MIN ? form->reach : LZMA_DICT_SIZE_MIN;
    options.lc = form->parameters % 9u;
    options.lp = form->parameters / 9u % 5u;
    options.pb = form->parameters / 45u;
    set_search(&options, form);
    options.preset_dict = form->old;
    options.preset_dict_size = form->old_length;
    d->begun = lzma_raw_encoder(&d->stream, filters) == LZMA_OK;
    return d->begun;
}

/* Hands over some of the piece. */
static bool hand_over(struct pack_lzma *d)
{
    if (d->left == 0) {
        if (!d->source.take(d->source.context, d->piece, sizeof d->piece, &d->left))
            return false;
        d->stream.next_in = d->piece;
        d->over = d->left == 0;
    }
    d->stream.avail_in = d->left < STEP ? d->left : STEP;
    d->left -= d->stream.avail_in;
    return true;
}

/* The decoder wants some bytes beyond the end. */
static void give_tail(struct pack_lzma *d)
{
    size_t n = d->tail < d->stream.avail_out ? d->tail : d->stream.avail_out;

    memset(d->stream.next_out, 0, n);
    d->stream.next_out += n;
    d->stream.avail_out -= n;
    d->tail -= (uint32_t)n;
}

bool pack_lzma_give(struct pack_lzma *d, uint8_t *to, size_t room, size_t *given)
{
    lzma_stream *stream = &d->stream;
    lzma_ret said = d->ended ? LZMA_STREAM_END : LZMA_OK;

    stream->next_out = to;
    stream->avail_out = room;
    while (said == LZMA_OK && stream->avail_out > 0) {
        if (stream->avail_in == 0 && !d->over && !hand_over(d))
            break;
        said = lzma_code(stream, d->over ? LZMA_FINISH : LZMA_RUN);
    }
    d->ended = said == LZMA_STREAM_END;
    if (d->ended)
        give_tail(d);
    *given = room - stream->avail_out;
    if (said == LZMA_OK && *given == 0 && room > 0)
        return false; /* what was encoded before the content failed is given first */
    return said == LZMA_OK || said == LZMA_STREAM_END;
}

uint32_t pack_lzma_behind(const struct pack_lzma *d)
{
    return d->over ? 0 : (uint32_t)(d->left + d->stream.avail_in) + HELD;
}

void pack_lzma_end(struct pack_lzma *d)
{
    if (d->begun)
        lzma_end(&d->stream);
    d->begun = false;
}
