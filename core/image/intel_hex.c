/* Records of Intel HEX. */
#include "image_inner.h"

enum record_type {
    RECORD_DATA = 0,
    RECORD_END = 1,
    RECORD_EXTENDED_SEGMENT = 2,
    RECORD_START_SEGMENT = 3,
    RECORD_EXTENDED_LINEAR = 4,
    RECORD_START_LINEAR = 5,
};

enum {
    AT_LENGTH = 0,
    AT_ADDRESS = 1,
    AT_TYPE = 3,
    AT_DATA = 4,
    OVERHEAD = 5,
};

static uint32_t get16(const uint8_t *from)
{
    return (uint32_t)from[0] << 8 | from[1];
}

static enum wry_image_error check(const uint8_t *bytes, size_t n)
{
    static const uint8_t lengths[] = {0, 0, 2, 4, 2, 4};
    uint8_t sum = 0;

    if (n < OVERHEAD || n != bytes[AT_LENGTH] + (size_t)OVERHEAD)
        return WRY_IMAGE_BAD_LENGTH;
    for (size_t i = 0; i < n; i++)
        sum = (uint8_t)(sum + bytes[i]);
    if (sum != 0)
        return WRY_IMAGE_BAD_CHECKSUM;
    uint8_t type = bytes[AT_TYPE];
    if (type > RECORD_START_LINEAR)
        return WRY_IMAGE_BAD_TYPE;
    return type == RECORD_DATA || bytes[AT_LENGTH] == lengths[type] ? WRY_IMAGE_OK
                                                                    : WRY_IMAGE_BAD_LENGTH;
}

enum wry_image_error intel_hex_decode(const uint8_t *bytes, size_t n, struct image_record *record)
{
    enum wry_image_error error = check(bytes, n);

    if (error != WRY_IMAGE_OK)
        return error;
    *record = (struct image_record){.kind = IMAGE_RECORD_OTHER};
    switch ((enum record_type)bytes[AT_TYPE]) {
    case RECORD_DATA:
        record->kind = IMAGE_RECORD_DATA;
        record->address = get16(bytes + AT_ADDRESS);
        record->data = bytes + AT_DATA;
        record->length = bytes[AT_LENGTH];
        break;
    case RECORD_END:
        record->kind = IMAGE_RECORD_END;
        break;
    case RECORD_EXTENDED_SEGMENT:
        record->kind = IMAGE_RECORD_BASE;
        record->address = get16(bytes + AT_DATA) << 4;
        record->segmented = true;
        break;
    case RECORD_EXTENDED_LINEAR:
        record->kind = IMAGE_RECORD_BASE;
        record->address = get16(bytes + AT_DATA) << 16;
        break;
    case RECORD_START_SEGMENT:
    case RECORD_START_LINEAR:
        break; /* a start address for debuggers */
    }
    return WRY_IMAGE_OK;
}
