/* Text into records: lines, digits, and what both formats have in common. */
#include "inner.h"

static int digit_value(uint8_t c)
{
    if (c >= '0' && c <= '9')
        return c - '0';
    if (c >= 'A' && c <= 'F')
        return c - 'A' + 10;
    if (c >= 'a' && c <= 'f')
        return c - 'a' + 10;
    return -1;
}

/* Enough of a first record to tell: a mark, and digits behind it. */
enum wry_image_format wry_image_detect(const uint8_t *bytes, size_t n)
{
    size_t at = 0;

    while (at < n && (bytes[at] == '\r' || bytes[at] == '\n'))
        at++;
    if (n - at < 11)
        return WRY_IMAGE_RAW;
    bool hex = bytes[at] == ':';
    bool record = bytes[at] == 'S' && bytes[at + 1] >= '0' && bytes[at + 1] <= '9';
    if (!hex && !record)
        return WRY_IMAGE_RAW;
    for (size_t i = hex ? 1 : 2; i < 10; i++) {
        if (digit_value(bytes[at + i]) < 0)
            return WRY_IMAGE_RAW;
    }
    return hex ? WRY_IMAGE_INTEL_HEX : WRY_IMAGE_S_RECORD;
}

void wry_image_parser_init(struct wry_image_parser *parser, enum wry_image_format format,
                           const struct wry_image_sink *sink)
{
    *parser = (struct wry_image_parser){.format = format, .sink = *sink, .line = 1};
}

enum wry_image_error image_give(struct wry_image_parser *parser, uint32_t address,
                                const uint8_t *bytes, size_t n)
{
    parser->address = address;
    parser->data_records++;
    if (n > 0 && n - 1 > UINT32_MAX - address)
        return WRY_IMAGE_BAD_ADDRESS;
    if (n > 0 && !parser->sink.take(parser->sink.context, address, bytes, n))
        return WRY_IMAGE_SINK_FAILED;
    return WRY_IMAGE_OK;
}

static enum wry_image_error begin_record(struct wry_image_parser *parser, uint8_t c)
{
    char mark = parser->format == WRY_IMAGE_INTEL_HEX ? ':' : 'S';

    if (c == ' ' || c == '\t')
        return WRY_IMAGE_OK;
    if (parser->ended)
        return WRY_IMAGE_AFTER_END;
    if (c != (uint8_t)mark)
        return WRY_IMAGE_BAD_CHARACTER;
    parser->in_record = true;
    parser->has_type = parser->format == WRY_IMAGE_INTEL_HEX;
    parser->half = false;
    parser->fill = 0;
    return WRY_IMAGE_OK;
}

static enum wry_image_error add_character(struct wry_image_parser *parser, uint8_t c)
{
    int value = digit_value(c);

    if (value < 0)
        return c == ' ' || c == '\t' ? WRY_IMAGE_OK : WRY_IMAGE_BAD_CHARACTER;
    if (!parser->has_type) {
        parser->type = (uint8_t)value;
        parser->has_type = true;
        return value > 9 ? WRY_IMAGE_BAD_TYPE : WRY_IMAGE_OK;
    }
    if (!parser->half) {
        parser->high = (uint8_t)value;
        parser->half = true;
        return WRY_IMAGE_OK;
    }
    parser->half = false;
    if (parser->fill == WRY_RECORD_MAX)
        return WRY_IMAGE_BAD_LENGTH;
    parser->record[parser->fill++] = (uint8_t)(parser->high << 4 | value);
    return WRY_IMAGE_OK;
}

static enum wry_image_error end_record(struct wry_image_parser *parser)
{
    parser->in_record = false;
    if (parser->half || !parser->has_type)
        return WRY_IMAGE_BAD_LENGTH;
    return parser->format == WRY_IMAGE_INTEL_HEX ? intel_hex_record(parser)
                                                 : s_record_record(parser);
}

static enum wry_image_error take_character(struct wry_image_parser *parser, uint8_t c)
{
    enum wry_image_error error = WRY_IMAGE_OK;

    if (c != '\r' && c != '\n') {
        parser->last_was_cr = false;
        return parser->in_record ? add_character(parser, c) : begin_record(parser, c);
    }
    if (c == '\n' && parser->last_was_cr) {
        parser->last_was_cr = false;
        return WRY_IMAGE_OK;
    }
    parser->last_was_cr = c == '\r';
    if (parser->in_record)
        error = end_record(parser);
    if (error == WRY_IMAGE_OK)
        parser->line++;
    return error;
}

bool wry_image_parser_take(struct wry_image_parser *parser, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n && parser->error == WRY_IMAGE_OK; i++)
        parser->error = take_character(parser, bytes[i]);
    return parser->error == WRY_IMAGE_OK;
}

bool wry_image_parser_end(struct wry_image_parser *parser)
{
    if (parser->error == WRY_IMAGE_OK && parser->in_record)
        parser->error = end_record(parser);
    if (parser->error == WRY_IMAGE_OK && !parser->ended)
        parser->error = WRY_IMAGE_NO_END;
    return parser->error == WRY_IMAGE_OK;
}
