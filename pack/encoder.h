/* One stream as it is made: content, or records of its difference to what was there, deflated. */
#ifndef WRY_PACK_ENCODER_H
#define WRY_PACK_ENCODER_H

#include "deflate_packer.h"
#include "difference_packer.h"
#include "wrytograph/packer.h"

struct pack_encoder {
    struct wry_packing packing;
    uint32_t taken; /* bytes of content */
    struct pack_deflate deflate;
    struct pack_difference *difference;
};

/* encoder is zeros at first. False when it cannot pack like this. */
bool pack_encoder_begin(struct pack_encoder *encoder, const struct wry_packing *packing);

/* As wry_packer.give. packing: the same once more, whose readers are in use now. */
bool pack_encoder_give(struct pack_encoder *encoder, const struct wry_packing *packing, uint8_t *to,
                       size_t room, size_t *given);
void pack_encoder_end(struct pack_encoder *encoder);

#endif
