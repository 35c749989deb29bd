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
    MORE_ALIKE = 20,    /* with all content between them, one more byte of so many is saved */
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

/* The stream has so many bytes once so much content is encoded. */
struct point {
    uint64_t content;
    uint32_t stream;
};

/* The lengths of the stream at the ends of the pieces. */
struct ends {
    const struct trial *trial;
    uint32_t piece;
    uint32_t *ends;
    uint32_t count, found;
    struct point from, to;
    uint64_t taken;
    bool bursts, ahead;
};

/* Between two points the stream is taken to grow evenly. */
static void go_on(struct ends *e)
{
    uint64_t content = e->to.content - e->from.content;
    uint32_t stream = e->to.stream - e->from.stream;

    for (; e->found < e->count; e->found++) {
        uint64_t at = (uint64_t)(e->found + 1) * e->piece;
        if (at > e->to.content)
            break;
        uint64_t part = content > 0 ? stream * (at - e->from.content) / content : stream;
        e->ends[e->found] = (e->from.stream + (uint32_t)part) * e->trial->stands_for;
    }
    e->from = e->to;
}

/* Deflate gives its stream in bursts, when it has taken content for a while; during one it may take
 * a piece that belongs to the next. */
static void note_point(struct ends *e, uint64_t content, uint32_t stream)
{
    uint64_t more = content - e->taken;
    bool ahead = e->bursts && !e->ahead && more <= (uint64_t)PACK_PIECE * e->trial->stands_for;

    if (more > 0 && !ahead) {
        go_on(e);
        e->to.content = content;
    }
    if (more > 0)
        e->ahead = ahead;
    e->taken = content;
    e->to.stream = stream;
}

static bool run(struct trial *trial, const struct wry_packing *packing, uint32_t whole,
                uint32_t piece, uint32_t *ends, uint32_t count)
{
    struct ends e = {.trial = trial, .piece = piece, .ends = ends, .count = count};
    uint32_t stream = 0, i;
    size_t given = 1;
    uint8_t out[1024];

    if (!pack_encoder_begin(&trial->encoder, packing))
        return false;
    e.bursts = !trial->encoder.lzma.begun;
    while (given > 0) {
        if (!pack_encoder_give(&trial->encoder, packing, out, sizeof out, &given))
            return false;
        stream += (uint32_t)given;
        if (given > 0)
            note_point(&e, (uint64_t)pack_encoder_taken(&trial->encoder) * trial->stands_for,
                       stream);
    }
    /* The end alone is exact; it stands for what was left out behind it, too. */
    uint64_t all = (uint64_t)trial->length * trial->stands_for;
    e.to = (struct point){.content = all, .stream = stream};
    go_on(&e);
    for (i = e.found; i < count; i++) {
        uint64_t end = (uint64_t)(i + 1) * piece;
        ends[i] = (uint32_t)((uint64_t)stream * trial->stands_for * (end < whole ? end : whole) /
                             (all > 0 ? all : 1));
    }
    for (i = 0; i < count && trial->encoder.quick; i++)
        ends[i] -= ends[i] / (packing->thorough ? THOROUGH_LOSS : QUICK_LOSS);
    return true;
}

/* Content refers to what is just before it, most of which samples leave out. */
static void allow_for_gaps(uint32_t whole, uint32_t piece, uint32_t *ends, uint32_t count)
{
    uint32_t before = 0, allowed = 0;

    for (uint32_t i = 0; i < count; i++) {
        uint32_t stream = ends[i] - before;
        uint32_t content = i + 1 < count ? piece : whole - i * piece;
        uint32_t saved = content > stream ? (content - stream) / MORE_ALIKE : 0;
        before = ends[i];
        allowed += saved < stream ? stream - saved : 0;
        ends[i] = allowed;
    }
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
    if (!run(trial, &samples, packing->length, piece, ends, count))
        return false;
    allow_for_gaps(packing->length, piece, ends, count);
    return true;
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
