/* SHA-256 digests (FIPS 180-4) of bytes in memory, and of blank flash. */
#pragma once

#include <stddef.h>
#include <stdint.h>

#include "wrytograph/bytes.h"

void digest_of(const void *bytes, size_t n, uint8_t sha256[WRY_SHA256_SIZE]);

/* The first 8 bytes of the digest as a little-endian number, as in sector digests
 * (docs/protocol.md). */
uint64_t digest_short_of(const void *bytes, size_t n);

/* The digest of n bytes 0xFF, the content of erased flash. */
void digest_of_blank(uint32_t n, uint8_t sha256[WRY_SHA256_SIZE]);
