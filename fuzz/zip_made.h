/* ZIP files that are made of input, since no mutation finds a CRC-32 that fits. */
#ifndef WRY_FUZZ_ZIP_MADE_H
#define WRY_FUZZ_ZIP_MADE_H

#include <stddef.h>
#include <stdint.h>

/*
 * Members: a byte of their name's length, the name, two of their content's length, the content. A
 * ZIP file as it is begins with "PK" and is left so. The path is valid until the next call.
 */
const char *zip_made(const char *name, const uint8_t *bytes, size_t n);

#endif
