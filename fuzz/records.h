/* What a text of records must come to, whatever its format. */
#ifndef WRY_FUZZ_RECORDS_H
#define WRY_FUZZ_RECORDS_H

#include "wrytograph/image.h"

void records_hold(enum wry_image_format format, const uint8_t *bytes, size_t n);

#endif
