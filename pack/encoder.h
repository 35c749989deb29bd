/* The encoder of one stream: content, or the records of its difference, deflated. */
#ifndef WRY_PACK_ENCODER_H
#define WRY_PACK_ENCODER_H

#include "deflate_packer.h"
#include "difference_packer.h"
#include "wrytograph/packer.h"

struct pack_encoder {
    struct wry_packing packing;
    uint32_t taken; /* bytes of content taken so far */
    struct pack_deflate deflate;
    struct pack_difference *difference;
};

/* encoder is zeroed before the first use. False if it cannot encode this. */
bool pack_encoder_begin(struct pack_encoder *encoder, const struct wry_packing *packing);

/* Like wry_packer.give. packing: equal to that of begin, with the readers to use now. */
bool pack_encoder_give(struct pack_encoder *encoder, const struct wry_packing *packing, uint8_t *to,
                       size_t room, size_t *given);
void pack_encoder_end(struct pack_encoder *encoder);

#endif
