/* Encoding one stream. */
#include "encoder.h"

#include "wrytograph/message.h"

static bool take_content(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct pack_encoder *encoder = context;
    const struct wry_reader *content = &encoder->packing.content;
    uint32_t left = encoder->packing.length - encoder->taken;
    uint32_t n = left < room ? left : (uint32_t)room;

    *given = n;
    if (n > 0 && !content->read(content->context, encoder->taken, to, n))
        return false;
    encoder->taken += n;
    return true;
}

static bool take_records(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct pack_encoder *encoder = context;

    return pack_difference_take(encoder->difference, to, room, given);
}

bool pack_encoder_begin(struct pack_encoder *encoder, const struct wry_packing *packing)
{
    struct pack_source source = {.context = encoder, .take = take_content};

    encoder->packing = *packing;
    encoder->taken = 0;
    pack_difference_free(encoder->difference);
    encoder->difference = NULL;
    if (packing->coding == WRY_CODING_DIFFERENCE) {
        encoder->difference = pack_difference_new(packing);
        source.take = take_records;
        if (!encoder->difference)
            return false;
    } else if (packing->coding != WRY_CODING_DEFLATE) {
        return false;
    }
    return pack_deflate_begin(&encoder->deflate, &source, packing->window);
}

bool pack_encoder_give(struct pack_encoder *encoder, const struct wry_packing *packing, uint8_t *to,
                       size_t room, size_t *given)
{
    encoder->packing.content = packing->content;
    if (encoder->difference)
        pack_difference_read_from(encoder->difference, packing);
    return pack_deflate_give(&encoder->deflate, to, room, given);
}

void pack_encoder_end(struct pack_encoder *encoder)
{
    pack_deflate_end(&encoder->deflate);
    pack_difference_free(encoder->difference);
    encoder->difference = NULL;
}
