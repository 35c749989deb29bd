/* Encoding one stream. */
#include "encoder.h"

#include <stdlib.h>

#include "wrytograph/flash.h"
#include "wrytograph/lzma.h"
#include "wrytograph/message.h"

enum {
    OLD_MOST = 0x400000, /* bytes of old and of new content, where LZMA refers to old one */
    REACH_MOST =
        0x10000, /* bytes that LZMA reaches back in new content: the encoder needs memory */
    /* The parameters (lc, lp, pb) 0, 1, 1 for code in units of two bytes, and 0, 1, 0 for records.
     */
    BY_TWO = 54,
    FOR_RECORDS = 9,
};

static void reverse(uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n / 2; i++) {
        uint8_t byte = bytes[i];
        bytes[i] = bytes[n - 1 - i];
        bytes[n - 1 - i] = byte;
    }
}

/* Content in the order of the job: from the end down it is reversed. */
static bool take_content(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct pack_encoder *encoder = context;
    const struct wry_packing *packing = &encoder->packing;
    uint32_t left = packing->length - encoder->taken;
    uint32_t n = left < room ? left : (uint32_t)room;
    uint32_t at = packing->down ? left - n : encoder->taken;

    *given = n;
    if (n > 0 && !packing->content.read(packing->content.context, at, to, n))
        return false;
    if (packing->down)
        reverse(to, n);
    encoder->taken += n;
    return true;
}

static bool take_filtered(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct pack_encoder *encoder = context;

    return pack_filtered_take(&encoder->filtered, to, room, given);
}

static bool take_records(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct pack_encoder *encoder = context;

    return pack_difference_take(encoder->difference, to, room, given);
}

static uint32_t reach_of(const struct wry_packing *packing)
{
    return packing->window < REACH_MOST ? packing->window : REACH_MOST;
}

static uint32_t known_length(const struct wry_packing *packing)
{
    const struct wry_known *known = packing->known;
    uint32_t n = 0;

    while (n < OLD_MOST && n < packing->length + PACK_DIFFERENCE_AROUND &&
           known->covers(known->context, packing->offset + n, WRY_SECTOR_SIZE) == WRY_SECTOR_SIZE)
        n += WRY_SECTOR_SIZE;
    return n;
}

/* The old content in the order of the job. */
static uint8_t *read_old(const struct wry_packing *packing, uint32_t length)
{
    uint8_t *old = malloc(length);
    bool good = old != NULL;

    for (uint32_t at = 0; at < length && good; at += WRY_SECTOR_SIZE)
        good = packing->known->read(packing->known->context, packing->offset + at, old + at,
                                    WRY_SECTOR_SIZE);
    if (good && packing->down)
        reverse(old, length);
    if (good)
        return old;
    free(old);
    return NULL;
}

/*
 * While the content at some place is computed, the board has the old content from history bytes
 * before that place on: a limit of the distance says just that. From the end down, places of old
 * content count from its own end, so the growth comes on top.
 */
static bool begin_over_old(struct pack_encoder *encoder, const struct pack_source *source)
{
    const struct wry_packing *packing = &encoder->packing;
    uint32_t length = known_length(packing);

    if (packing->down && length > packing->length)
        length = packing->length; /* what lies above would come first, and be out of reach first */
    uint32_t from_end = packing->down ? packing->length : length;
    uint32_t history =
        packing->old_history < packing->length ? packing->old_history : packing->length;
    uint32_t reach = from_end + history;
    uint8_t *old = length > 0 && packing->length <= OLD_MOST ? read_old(packing, length) : NULL;
    if (!old)
        return false;
    encoder->form.old_length = length;
    bool begun = pack_lzma_begin(&encoder->lzma, source,
                                 &(struct pack_lzma_form){.quick = encoder->quick,
                                                          .thorough = packing->thorough,
                                                          .parameters = encoder->form.parameters,
                                                          .reach = reach,
                                                          .old = old,
                                                          .old_length = length});
    free(old);
    return begun;
}

static bool begin_plain(struct pack_encoder *encoder)
{
    const struct wry_packing *packing = &encoder->packing;
    struct pack_source source = {.context = encoder, .take = take_content};

    if (!pack_filter_choose(packing, &encoder->form.filter))
        return false;
    if (encoder->form.filter != WRY_FILTER_NONE) {
        pack_filtered_begin(&encoder->filtered, &source, encoder->form.filter, packing->offset);
        source.take = take_filtered;
    }
    if (packing->coding == WRY_CODING_DEFLATE)
        return pack_deflate_begin(&encoder->deflate, &source, packing->window);
    bool by_two =
        encoder->form.filter == WRY_FILTER_RISCV || encoder->form.filter == WRY_FILTER_THUMB;
    encoder->form.parameters = by_two ? BY_TWO : WRY_LZMA_USUAL;
    return pack_lzma_begin(&encoder->lzma, &source,
                           &(struct pack_lzma_form){.quick = encoder->quick,
                                                    .parameters = encoder->form.parameters,
                                                    .reach = reach_of(packing)});
}

static bool begin_records(struct pack_encoder *encoder)
{
    const struct wry_packing *packing = &encoder->packing;
    struct pack_source source = {.context = encoder, .take = take_records};

    encoder->difference = pack_difference_new(packing);
    if (!encoder->difference)
        return false;
    if (packing->coding == WRY_CODING_DIFFERENCE)
        return pack_deflate_begin(&encoder->deflate, &source, packing->window);
    encoder->form.parameters = FOR_RECORDS;
    return pack_lzma_begin(&encoder->lzma, &source,
                           &(struct pack_lzma_form){.quick = encoder->quick,
                                                    .records = true,
                                                    .thorough = packing->thorough,
                                                    .parameters = FOR_RECORDS,
                                                    .reach = reach_of(packing)});
}

bool pack_encoder_begin(struct pack_encoder *encoder, const struct wry_packing *packing)
{
    struct pack_source source = {.context = encoder, .take = take_content};

    pack_encoder_end(encoder);
    encoder->packing = *packing;
    encoder->form = (struct wry_stream_form){0};
    encoder->taken = 0;
    switch (packing->coding) {
    case WRY_CODING_DEFLATE:
    case WRY_CODING_LZMA:
        return begin_plain(encoder);
    case WRY_CODING_DIFFERENCE:
    case WRY_CODING_LZMA_DIFFERENCE:
        return begin_records(encoder);
    case WRY_CODING_LZMA_OLD:
        encoder->form.parameters = WRY_LZMA_USUAL;
        return begin_over_old(encoder, &source);
    default:
        return false;
    }
}

bool pack_encoder_give(struct pack_encoder *encoder, const struct wry_packing *packing, uint8_t *to,
                       size_t room, size_t *given)
{
    encoder->packing.content = packing->content;
    if (encoder->difference)
        pack_difference_read_from(encoder->difference, packing);
    return encoder->lzma.begun ? pack_lzma_give(&encoder->lzma, to, room, given)
                               : pack_deflate_give(&encoder->deflate, to, room, given);
}

uint32_t pack_encoder_taken(const struct pack_encoder *encoder)
{
    uint32_t behind =
        encoder->form.filter != WRY_FILTER_NONE ? (uint32_t)encoder->filtered.fill : 0;

    if (encoder->difference)
        return pack_difference_done(encoder->difference);
    behind += encoder->lzma.begun ? pack_lzma_behind(&encoder->lzma) : 0;
    return encoder->taken > behind ? encoder->taken - behind : 0;
}

void pack_encoder_end(struct pack_encoder *encoder)
{
    pack_deflate_end(&encoder->deflate);
    pack_lzma_end(&encoder->lzma);
    pack_difference_free(encoder->difference);
    encoder->difference = NULL;
}
