/* What the record formats give: one record in, what it means out. */
#ifndef WRY_IMAGE_INNER_H
#define WRY_IMAGE_INNER_H

#include "wrytograph/image.h"

enum image_record_kind {
    IMAGE_RECORD_OTHER, /* of no meaning for content */
    IMAGE_RECORD_DATA,
    IMAGE_RECORD_BASE,  /* address is added to those of the data records that follow */
    IMAGE_RECORD_COUNT, /* address is how many data records came before, under mask */
    IMAGE_RECORD_END,
};

struct image_record {
    enum image_record_kind kind;
    uint32_t address;
    bool segmented;      /* base: addresses wrap within 64 KiB */
    uint32_t mask;       /* count */
    const uint8_t *data; /* within the bytes that were given */
    uint32_t length;
};

/* bytes: a record without its mark, as many as were read. */
enum wry_image_error intel_hex_decode(const uint8_t *bytes, size_t n, struct image_record *record);
/* type: the digit behind the S. */
enum wry_image_error s_record_decode(uint8_t type, const uint8_t *bytes, size_t n,
                                     struct image_record *record);

#endif
