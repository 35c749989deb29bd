/* Splits text into records: lines, digits, and what both formats have in common. */
#include "image_inner.h"

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

static const uint8_t utf8_mark[] = {0xEF, 0xBB, 0xBF};

static bool begins_with_mark(const uint8_t *bytes, size_t n)
{
    return n >= sizeof utf8_mark && bytes[0] == utf8_mark[0] && bytes[1] == utf8_mark[1] &&
           bytes[2] == utf8_mark[2];
}

/* Recognises a record by its mark and the digits after it. */
static enum wry_image_format record_at(const uint8_t *bytes, size_t n)
{
    if (n < 10)
        return WRY_IMAGE_RAW;
    bool hex = bytes[0] == ':';
    bool record = (bytes[0] == 'S' || bytes[0] == 's') && bytes[1] >= '0' && bytes[1] <= '9';
    if (!hex && !record)
        return WRY_IMAGE_RAW;
    for (size_t i = hex ? 1 : 2; i < 10; i++) {
        if (digit_value(bytes[i]) < 0)
            return WRY_IMAGE_RAW;
    }
    return hex ? WRY_IMAGE_INTEL_HEX : WRY_IMAGE_S_RECORD;
}

/* The same in UTF-16: with a zero before or after each character. */
static bool is_wide_record(const uint8_t *bytes, size_t n)
{
    uint8_t narrow[10];
    bool marked = n >= 2 && ((bytes[0] == 0xFF && bytes[1] == 0xFE) ||
                             (bytes[0] == 0xFE && bytes[1] == 0xFF));
    size_t at = marked ? 2 : 0;

    for (size_t first = 0; first < 2; first++) {
        bool wide = n >= at + 2 * sizeof narrow;
        for (size_t i = 0; wide && i < sizeof narrow; i++) {
            narrow[i] = bytes[at + 2 * i + first];
            wide = bytes[at + 2 * i + 1 - first] == 0;
        }
        if (wide && record_at(narrow, sizeof narrow) != WRY_IMAGE_RAW)
            return true;
    }
    return false;
}

static bool is_space(uint8_t c)
{
    return c == '\r' || c == '\n' || c == ' ' || c == '\t';
}

enum wry_image_format wry_image_detect(const uint8_t *bytes, size_t n)
{
    size_t at = begins_with_mark(bytes, n) ? sizeof utf8_mark : 0;
    bool commented = false;

    if (is_wide_record(bytes, n))
        return WRY_IMAGE_UNCLEAR;
    while (at < n) {
        while (at < n && is_space(bytes[at]))
            at++;
        enum wry_image_format format = record_at(bytes + at, n - at);
        if (format != WRY_IMAGE_RAW)
            return commented ? WRY_IMAGE_UNCLEAR : format;
        /* Text before the first record: neither format has comments. */
        for (commented = true; at < n && bytes[at] != '\n' && bytes[at] != '\r'; at++) {
            if (bytes[at] != '\t' && (bytes[at] < 0x20 || bytes[at] == 0x7F))
                return WRY_IMAGE_RAW;
        }
    }
    return WRY_IMAGE_RAW;
}

void wry_image_parser_init(struct wry_image_parser *parser, enum wry_image_format format,
                           const struct wry_image_sink *sink)
{
    *parser = (struct wry_image_parser){.format = format, .sink = *sink, .line = 1};
}

static enum wry_image_error give(struct wry_image_parser *parser, uint32_t address,
                                 const uint8_t *bytes, uint32_t n)
{
    if (n > 0 && n - 1 > UINT32_MAX - address)
        return WRY_IMAGE_BAD_ADDRESS;
    if (n > 0 && !parser->sink.take(parser->sink.context, address, bytes, n))
        return WRY_IMAGE_SINK_FAILED;
    return WRY_IMAGE_OK;
}

/* With a segment base, offsets wrap within 64 KiB; a record across that limit is passed on in two
 * parts. */
static enum wry_image_error give_data(struct wry_image_parser *parser,
                                      const struct image_record *record)
{
    uint32_t before_wrap = record->length;

    parser->data_records++;
    if (parser->segmented && record->length > 0x10000 - record->address)
        before_wrap = 0x10000 - record->address;
    enum wry_image_error error =
        give(parser, parser->base + record->address, record->data, before_wrap);
    return error != WRY_IMAGE_OK ? error
                                 : give(parser, parser->base, record->data + before_wrap,
                                        record->length - before_wrap);
}

static enum wry_image_error act_on(struct wry_image_parser *parser,
                                   const struct image_record *record)
{
    switch (record->kind) {
    case IMAGE_RECORD_DATA:
        return give_data(parser, record);
    case IMAGE_RECORD_BASE:
        parser->base = record->address;
        parser->segmented = record->segmented;
        break;
    case IMAGE_RECORD_COUNT:
        return record->address == (parser->data_records & record->mask) ? WRY_IMAGE_OK
                                                                        : WRY_IMAGE_BAD_COUNT;
    case IMAGE_RECORD_END:
        parser->ended = true;
        break;
    case IMAGE_RECORD_OTHER:
        break;
    }
    return WRY_IMAGE_OK;
}

static enum wry_image_error begin_record(struct wry_image_parser *parser, uint8_t c)
{
    bool is_mark = parser->format == WRY_IMAGE_INTEL_HEX ? c == ':' : c == 'S' || c == 's';

    if (c == ' ' || c == '\t')
        return WRY_IMAGE_OK;
    if (parser->mark_bytes < sizeof utf8_mark && c == utf8_mark[parser->mark_bytes]) {
        parser->mark_bytes++;
        return WRY_IMAGE_OK;
    }
    parser->mark_bytes = sizeof utf8_mark;
    if (parser->ended)
        return WRY_IMAGE_AFTER_END;
    if (!is_mark)
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
    struct image_record record;
    enum wry_image_error error =
        parser->format == WRY_IMAGE_INTEL_HEX
            ? intel_hex_decode(parser->record, parser->fill, &record)
            : s_record_decode(parser->type, parser->record, parser->fill, &record);
    return error == WRY_IMAGE_OK ? act_on(parser, &record) : error;
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
