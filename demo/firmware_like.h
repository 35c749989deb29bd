/*
 * Bytes that compress as firmware does, to about half under deflate: short words from a small
 * vocabulary, as instructions are, mixed with constants, with now and then a longer stretch said
 * before. The same bytes for the same seed.
 */
#ifndef WRY_DEMO_FIRMWARE_LIKE_H
#define WRY_DEMO_FIRMWARE_LIKE_H

#include <stddef.h>
#include <stdint.h>

void fill_like_firmware(uint8_t *to, size_t n, uint64_t seed);

#endif
