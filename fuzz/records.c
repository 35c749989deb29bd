/* Texts of records: the same in any pieces, and no content from nowhere. */
#include "records.h"
#include "core/bytes/fields.h"

#include "door.h"
#include "wrytograph/bytes.h"

/* All content with its addresses, as one number. */
struct content {
    uint32_t seen;
    uint64_t length;
};

static bool take(void *context, uint32_t address, const uint8_t *bytes, size_t n)
{
    struct content *content = context;
    uint8_t at[4];

    MUST(n > 0 && n <= WRY_RECORD_MAX && n - 1 <= UINT32_MAX - address);
    for (size_t i = 0; i < n; i++) {
        bytes_put32(at, address + (uint32_t)i);
        content->seen = wry_crc32(content->seen, at, sizeof at);
        content->seen = wry_crc32(content->seen, bytes + i, 1);
    }
    content->length += n;
    return true;
}

static struct content parse(enum wry_image_format format, const uint8_t *bytes, size_t n,
                            size_t step, struct wry_image_parser *parser)
{
    struct content content = {0};
    struct wry_image_sink sink = {.context = &content, .take = take};
    bool fine = true;

    wry_image_parser_init(parser, format, &sink);
    for (size_t at = 0; at < n && fine; at += step)
        fine = wry_image_parser_take(parser, bytes + at, n - at < step ? n - at : step);
    fine = wry_image_parser_end(parser) && fine;
    MUST(fine == (parser->error == WRY_IMAGE_OK));
    MUST(parser->line >= 1 && parser->line <= n + 1);
    MUST(2 * content.length <= n);
    return content;
}

void records_hold(enum wry_image_format format, const uint8_t *bytes, size_t n)
{
    struct wry_image_parser whole, single;
    struct content a = parse(format, bytes, n, n + 1, &whole);
    struct content b = parse(format, bytes, n, 1, &single);

    MUST(a.seen == b.seen && a.length == b.length);
    MUST(whole.error == single.error && whole.line == single.line);
    wry_image_detect(bytes, n < WRY_IMAGE_DETECT_SIZE ? n : WRY_IMAGE_DETECT_SIZE);
}
