/* Motorola S-records. */
#include "image_inner.h"

enum {
    AT_COUNT = 0,
    AT_ADDRESS = 1,
};

/* Address bytes of S0 to S9; 0: there is no such record. */
static const uint8_t address_sizes[10] = {2, 2, 3, 4, 0, 2, 3, 4, 3, 2};

static uint32_t get_address(const uint8_t *bytes, size_t size)
{
    uint32_t address = 0;

    for (size_t i = 0; i < size; i++)
        address = address << 8 | bytes[AT_ADDRESS + i];
    return address;
}

static enum wry_image_error check(const uint8_t *bytes, size_t n, size_t address_size)
{
    uint8_t sum = 0;

    if (n < 1 + address_size + 1 || n != bytes[AT_COUNT] + (size_t)1)
        return WRY_IMAGE_BAD_LENGTH;
    for (size_t i = 0; i < n; i++)
        sum = (uint8_t)(sum + bytes[i]);
    return sum == 0xFF ? WRY_IMAGE_OK : WRY_IMAGE_BAD_CHECKSUM;
}

enum wry_image_error s_record_decode(uint8_t type, const uint8_t *bytes, size_t n,
                                     struct image_record *record)
{
    size_t size = address_sizes[type];

    if (size == 0)
        return WRY_IMAGE_BAD_TYPE;
    enum wry_image_error error = check(bytes, n, size);
    if (error != WRY_IMAGE_OK)
        return error;
    *record = (struct image_record){.kind = IMAGE_RECORD_OTHER,
                                    .address = get_address(bytes, size),
                                    .data = bytes + AT_ADDRESS + size,
                                    .length = (uint32_t)(n - 1 - size - 1)};
    switch (type) {
    case 0:
        return WRY_IMAGE_OK;
    case 1:
    case 2:
    case 3:
        record->kind = IMAGE_RECORD_DATA;
        return WRY_IMAGE_OK;
    case 5:
    case 6:
        record->kind = IMAGE_RECORD_COUNT;
        record->mask = size == 2 ? 0xFFFF : 0xFFFFFF;
        return WRY_IMAGE_OK;
    default:
        record->kind = IMAGE_RECORD_END;
        return record->length == 0 ? WRY_IMAGE_OK : WRY_IMAGE_BAD_LENGTH;
    }
}
