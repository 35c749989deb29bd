/* The encoder of one stream: content, filtered or not, or the records of its difference, packed. */
#ifndef WRY_PACK_ENCODER_H
#define WRY_PACK_ENCODER_H

#include "deflate_packer.h"
#include "difference_packer.h"
#include "filtered_source.h"
#include "lzma_packer.h"
#include "wrytograph/packer.h"

struct pack_encoder {
    struct wry_packing packing;
    struct wry_stream_form form;
    bool quick;     /* set before begin: for an estimate */
    uint32_t taken; /* bytes of content taken so far */
    struct pack_filtered filtered;
    struct pack_deflate deflate;
    struct pack_lzma lzma;
    struct pack_difference *difference;
};

/* encoder is zeroed before the first use. False if it cannot encode this. */
bool pack_encoder_begin(struct pack_encoder *encoder, const struct wry_packing *packing);

/* Like wry_packer.give. packing: equal to that of begin, with the readers to use now. */
bool pack_encoder_give(struct pack_encoder *encoder, const struct wry_packing *packing, uint8_t *to,
                       size_t room, size_t *given);
/* Bytes of content that are encoded by now, approximately. */
uint32_t pack_encoder_taken(const struct pack_encoder *encoder);
void pack_encoder_end(struct pack_encoder *encoder);

#endif
