/* The decoders of the record formats: one record in, its meaning out. */
#ifndef WRY_IMAGE_INNER_H
#define WRY_IMAGE_INNER_H

#include "wrytograph/image.h"

enum image_record_kind {
    IMAGE_RECORD_OTHER, /* has no meaning for the content */
    IMAGE_RECORD_DATA,
    IMAGE_RECORD_BASE,  /* address is the base of the following data records */
    IMAGE_RECORD_COUNT, /* address is the number of data records so far, modulo mask + 1 */
    IMAGE_RECORD_END,
};

struct image_record {
    enum image_record_kind kind;
    uint32_t address;
    bool segmented;      /* base: addresses wrap within 64 KiB */
    uint32_t mask;       /* count */
    const uint8_t *data; /* points into the given bytes */
    uint32_t length;
};

/* bytes: a record without its mark, n bytes as read. */
enum wry_image_error intel_hex_decode(const uint8_t *bytes, size_t n, struct image_record *record);
/* type: the digit after the S. */
enum wry_image_error s_record_decode(uint8_t type, const uint8_t *bytes, size_t n,
                                     struct image_record *record);

#endif
