/* Motorola S-records. */
#include "inner.h"

enum {
    AT_COUNT = 0,
    AT_ADDRESS = 1,
};

/* Bytes of address for S0 to S9; 0: no such record. */
static const uint8_t address_sizes[10] = {2, 2, 3, 4, 0, 2, 3, 4, 3, 2};

static uint32_t get_address(const struct wry_image_parser *parser, size_t size)
{
    uint32_t address = 0;

    for (size_t i = 0; i < size; i++)
        address = address << 8 | parser->record[AT_ADDRESS + i];
    return address;
}

static enum wry_image_error check(const struct wry_image_parser *parser, size_t address_size)
{
    uint8_t sum = 0;

    if (parser->fill < 1 || parser->fill != parser->record[AT_COUNT] + (size_t)1 ||
        parser->fill < 1 + address_size + 1)
        return WRY_IMAGE_BAD_LENGTH;
    for (size_t i = 0; i < parser->fill; i++)
        sum = (uint8_t)(sum + parser->record[i]);
    return sum == 0xFF ? WRY_IMAGE_OK : WRY_IMAGE_BAD_CHECKSUM;
}

enum wry_image_error s_record_record(struct wry_image_parser *parser)
{
    size_t size = address_sizes[parser->type];

    if (size == 0)
        return WRY_IMAGE_BAD_TYPE;
    enum wry_image_error error = check(parser, size);
    if (error != WRY_IMAGE_OK)
        return error;
    uint32_t address = get_address(parser, size);
    size_t length = parser->fill - 1 - size - 1;
    switch (parser->type) {
    case 0:
        return WRY_IMAGE_OK;
    case 1:
    case 2:
    case 3:
        return image_give(parser, address, parser->record + AT_ADDRESS + size, length);
    case 5:
    case 6: {
        uint32_t bound = size == 2 ? 0xFFFF : 0xFFFFFF;
        return address == (parser->data_records & bound) ? WRY_IMAGE_OK : WRY_IMAGE_BAD_COUNT;
    }
    default:
        parser->ended = true;
        return length == 0 ? WRY_IMAGE_OK : WRY_IMAGE_BAD_LENGTH;
    }
}
