/* What the record formats share. */
#ifndef WRY_IMAGE_INNER_H
#define WRY_IMAGE_INNER_H

#include "wrytograph/image.h"

/* A whole record is in parser->record, fill bytes of it. */
enum wry_image_error intel_hex_record(struct wry_image_parser *parser);
enum wry_image_error s_record_record(struct wry_image_parser *parser);

/* Hands content on; addresses must not pass 2^32. */
enum wry_image_error image_give(struct wry_image_parser *parser, uint32_t address,
                                const uint8_t *bytes, size_t n);

#endif
