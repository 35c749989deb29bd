/* Digests of content that is in memory, or that need not be: SHA-256 (FIPS 180-4). */
#ifndef WRY_BASE_DIGEST_H
#define WRY_BASE_DIGEST_H

#include <stddef.h>
#include <stdint.h>

#include "wrytograph/bytes.h"

void digest_of(const void *bytes, size_t n, uint8_t sha256[WRY_SHA256_SIZE]);

/* Its first 8 bytes as a little-endian number, as in sector digests (docs/protocol.md). */
uint64_t digest_short_of(const void *bytes, size_t n);

/* Of n bytes 0xFF, which is what erased flash reads as. */
void digest_of_blank(uint32_t n, uint8_t sha256[WRY_SHA256_SIZE]);

#endif
