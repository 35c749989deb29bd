/*
 * Estimates. New content: the beginning of every stretch is encoded as one stream, which stands for
 * the whole. With old content: the first megabytes, with a quick search.
 */
#include "estimate.h"

#include <stdlib.h>

#include "encoder.h"
#include "wrytograph/message.h"

enum {
    WORTH = 0x40000,    /* bytes of content */
    SAMPLE = 0x2000,    /* bytes of a sample */
    STANDS_FOR = 4,     /* samples: at least so many times their content, */
    SAMPLES_MOST = 128, /* and so few of them that this takes a moment */
    HEAD = 0x400000,    /* bytes of content with old content that are encoded */
    QUICK_LOSS = 16,    /* a quick search costs one byte of so many, */
    THOROUGH_LOSS = 32, /* and a thorough one */
};

/* Samples of content; each stands for several times as much. */
struct samples {
    struct wry_reader content;
    uint32_t stands_for;
};

/* The samples as one content. */
static bool read_samples(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct samples *samples = context;

    for (size_t done = 0; done < n;) {
        uint32_t at = offset + (uint32_t)done, within = at % SAMPLE;
        size_t piece = SAMPLE - within < n - done ? SAMPLE - within : n - done;
        uint32_t from = at / SAMPLE * SAMPLE * samples->stands_for + within;
        if (!samples->content.read(samples->content.context, from, to + done, piece))
            return false;
        done += piece;
    }
    return true;
}

bool pack_estimate_pays(const struct wry_packing *packing)
{
    return packing->coding == WRY_CODING_LZMA_OLD ||
           (!wry_coding_needs_old(packing->coding) && packing->length >= WORTH);
}

/* Encodes part of the content; each byte of it stands for several. */
struct trial {
    struct pack_encoder encoder;
    uint32_t stands_for;
    uint32_t length; /* bytes that are encoded */
};

/* The length of the stream for so much content; done: what the stream so far stands for. */
static uint32_t stream_for(const struct trial *trial, uint64_t content, uint32_t stream,
                           uint64_t done)
{
    return done > 0 ? (uint32_t)((uint64_t)stream * trial->stands_for * content / done) : 0;
}

static bool run(struct trial *trial, const struct wry_packing *packing, uint32_t whole,
                uint32_t piece, uint32_t *ends, uint32_t count)
{
    uint32_t stream = 0, i = 0;
    size_t given = 1;
    uint8_t out[1024];

    if (!pack_encoder_begin(&trial->encoder, packing))
        return false;
    while (given > 0) {
        if (!pack_encoder_give(&trial->encoder, packing, out, sizeof out, &given))
            return false;
        stream += (uint32_t)given;
        uint64_t done = (uint64_t)pack_encoder_taken(&trial->encoder) * trial->stands_for;
        for (; i + 1 < count && (uint64_t)(i + 1) * piece <= done; i++)
            ends[i] = stream_for(trial, (uint64_t)(i + 1) * piece, stream, done);
    }
    /* Encoders are behind until the end, which alone is exact. */
    for (; i < count; i++) {
        uint64_t content = (uint64_t)(i + 1) * piece;
        ends[i] = stream_for(trial, content < whole ? content : whole, stream,
                             (uint64_t)trial->length * trial->stands_for);
    }
    /* Where content packs better than what came before, the average so far is too much. */
    for (i = count; i-- > 1;)
        ends[i - 1] = ends[i - 1] < ends[i] ? ends[i - 1] : ends[i];
    for (i = 0; i < count && trial->encoder.quick; i++)
        ends[i] -= ends[i] / (packing->thorough ? THOROUGH_LOSS : QUICK_LOSS);
    return true;
}

static bool estimate_samples(struct trial *trial, const struct wry_packing *packing, uint32_t piece,
                             uint32_t *ends, uint32_t count)
{
    struct samples content = {.content = packing->content, .stands_for = STANDS_FOR};
    struct wry_packing samples = *packing;

    while (packing->length / content.stands_for > SAMPLES_MOST * SAMPLE)
        content.stands_for *= 2;
    samples.content = (struct wry_reader){.context = &content, .read = read_samples};
    samples.length = trial->length = packing->length / (SAMPLE * content.stands_for) * SAMPLE;
    trial->stands_for = content.stands_for;
    return run(trial, &samples, packing->length, piece, ends, count);
}

static bool estimate_head(struct trial *trial, const struct wry_packing *packing, uint32_t piece,
                          uint32_t *ends, uint32_t count)
{
    struct wry_packing head = *packing;

    if (packing->coding != WRY_CODING_LZMA_OLD && packing->length > HEAD)
        head.length = HEAD;
    trial->length = head.length;
    trial->encoder.quick = packing->coding != WRY_CODING_DIFFERENCE;
    trial->stands_for = 1;
    return run(trial, &head, packing->length, piece, ends, count);
}

bool pack_estimate(const struct wry_packing *packing, uint32_t piece, uint32_t *ends,
                   uint32_t count)
{
    struct trial *trial = calloc(1, sizeof *trial);

    if (!trial)
        return false;
    bool good = wry_coding_needs_old(packing->coding)
                    ? estimate_head(trial, packing, piece, ends, count)
                    : estimate_samples(trial, packing, piece, ends, count);
    pack_encoder_end(&trial->encoder);
    free(trial);
    return good;
}
