/*
 * Image formats: raw binary, Intel HEX and Motorola S-record.
 *
 * A parser takes the text of a HEX or S-record file in pieces of any size and passes the content to
 * a sink with its addresses, one record at a time. It checks checksums, lengths, record types and
 * counts; an error gives line and cause.
 *
 *     struct wry_image_parser parser;
 *     struct wry_image_sink sink = {.context = file, .take = keep};
 *
 *     wry_image_parser_init(&parser, WRY_IMAGE_INTEL_HEX, &sink);
 *     while (n = read(...))
 *         if (!wry_image_parser_take(&parser, bytes, n))
 *             break;
 *     if (!wry_image_parser_end(&parser))
 *         explain(parser.error, parser.line);
 *
 * Standards: Intel's "Hexadecimal Object File Format Specification" revision A (1988) with 8-, 16-
 * and 32-bit addressing; Motorola S-records S0 to S9 with 16-, 24- and 32-bit addresses. Lines may
 * end in LF, CR LF or CR.
 */
#ifndef WRYTOGRAPH_IMAGE_H
#define WRYTOGRAPH_IMAGE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_IMAGE_DETECT_SIZE 2048u /* bytes of a file that wry_image_detect looks at */
#define WRY_RECORD_MAX 260u         /* bytes of the longest record, checksum included */

enum wry_image_format {
    WRY_IMAGE_RAW,
    WRY_IMAGE_INTEL_HEX,
    WRY_IMAGE_S_RECORD,
    WRY_IMAGE_UNCLEAR, /* records in UTF-16, or after other text: no parser accepts them */
};

enum wry_image_error {
    WRY_IMAGE_OK = 0,
    WRY_IMAGE_BAD_CHARACTER, /* neither a hex digit nor the start of a record */
    WRY_IMAGE_BAD_CHECKSUM,
    WRY_IMAGE_BAD_LENGTH,  /* the record's length field does not match its length */
    WRY_IMAGE_BAD_TYPE,    /* an unknown record type */
    WRY_IMAGE_BAD_ADDRESS, /* content beyond the 32-bit address space */
    WRY_IMAGE_BAD_COUNT,   /* S5 or S6 does not count the data records before it */
    WRY_IMAGE_AFTER_END,   /* something follows the end record */
    WRY_IMAGE_NO_END,      /* the end record is missing: the file is cut short */
    WRY_IMAGE_SINK_FAILED, /* the sink returned false */
};

/* Receives n bytes of content for address. Returning false stops the parser. */
struct wry_image_sink {
    void *context;
    bool (*take)(void *context, uint32_t address, const uint8_t *bytes, size_t n);
};

struct wry_image_parser {
    enum wry_image_format format;
    struct wry_image_sink sink;
    enum wry_image_error error;
    uint32_t line;         /* counted from 1: the current record's, or the error's */
    uint32_t data_records; /* number of them so far */

    size_t mark_bytes; /* bytes of a UTF-8 byte order mark passed so far */
    bool in_record, ended, last_was_cr;
    uint8_t type; /* S-records: the digit after the S */
    bool has_type;
    bool half; /* high holds the first digit of the next byte */
    uint8_t high;
    uint32_t base;  /* HEX: set by extended address records */
    bool segmented; /* HEX: base is a segment, addresses wrap within 64 KiB */
    size_t fill;
    uint8_t record[WRY_RECORD_MAX];
};

/*
 * Detects the format by the first bytes of a file, up to WRY_IMAGE_DETECT_SIZE. Blank lines and a
 * UTF-8 byte order mark may precede the first record.
 */
enum wry_image_format wry_image_detect(const uint8_t *bytes, size_t n);

/* format is WRY_IMAGE_INTEL_HEX or WRY_IMAGE_S_RECORD; sink is copied. The parser holds no pointers
 * into itself. */
void wry_image_parser_init(struct wry_image_parser *parser, enum wry_image_format format,
                           const struct wry_image_sink *sink);

/* Parses n bytes; bytes may be NULL if n is 0. False from the first error on; parser->error and
 * parser->line describe it. */
bool wry_image_parser_take(struct wry_image_parser *parser, const uint8_t *bytes, size_t n);

/* Ends the text. False if there was an error or the end record is missing. */
bool wry_image_parser_end(struct wry_image_parser *parser);

#ifdef __cplusplus
}
#endif

#endif
