/* Records of Intel HEX. */
#include "inner.h"

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

/* With a segment base, offsets wrap within 64 KiB; a record that does so is two stretches. */
static enum wry_image_error give_data(struct wry_image_parser *parser)
{
    uint32_t length = parser->record[AT_LENGTH];
    uint32_t offset = get16(parser->record + AT_ADDRESS);
    uint32_t before_wrap = 0x10000 - offset;
    const uint8_t *data = parser->record + AT_DATA;

    if (!parser->segmented || length <= before_wrap)
        return image_give(parser, parser->base + offset, data, length);
    enum wry_image_error error = image_give(parser, parser->base + offset, data, before_wrap);
    if (error != WRY_IMAGE_OK)
        return error;
    parser->data_records--;
    return image_give(parser, parser->base, data + before_wrap, length - before_wrap);
}

static enum wry_image_error check(const struct wry_image_parser *parser)
{
    uint8_t sum = 0;

    if (parser->fill < OVERHEAD || parser->fill != parser->record[AT_LENGTH] + (size_t)OVERHEAD)
        return WRY_IMAGE_BAD_LENGTH;
    for (size_t i = 0; i < parser->fill; i++)
        sum = (uint8_t)(sum + parser->record[i]);
    return sum == 0 ? WRY_IMAGE_OK : WRY_IMAGE_BAD_CHECKSUM;
}

enum wry_image_error intel_hex_record(struct wry_image_parser *parser)
{
    static const uint8_t lengths[] = {0, 0, 2, 4, 2, 4};
    const uint8_t *data = parser->record + AT_DATA;
    enum wry_image_error error = check(parser);

    if (error != WRY_IMAGE_OK)
        return error;
    uint8_t type = parser->record[AT_TYPE];
    if (type > RECORD_START_LINEAR)
        return WRY_IMAGE_BAD_TYPE;
    if (type != RECORD_DATA && parser->record[AT_LENGTH] != lengths[type])
        return WRY_IMAGE_BAD_LENGTH;
    switch ((enum record_type)type) {
    case RECORD_DATA:
        return give_data(parser);
    case RECORD_END:
        parser->ended = true;
        break;
    case RECORD_EXTENDED_SEGMENT:
        parser->base = get16(data) << 4;
        parser->segmented = true;
        break;
    case RECORD_EXTENDED_LINEAR:
        parser->base = get16(data) << 16;
        parser->segmented = false;
        break;
    case RECORD_START_SEGMENT:
    case RECORD_START_LINEAR:
        break; /* where a debugger would begin: nothing for a flash */
    }
    return WRY_IMAGE_OK;
}
