/* Sizes, offsets, speeds, times and addresses: parsing what people write, and text for display. */
#ifndef WRYTOGRAPH_HOST_UNITS_H
#define WRYTOGRAPH_HOST_UNITS_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/bytes.h"

#ifdef __cplusplus
extern "C" {
#endif

/* Parses 4MiB, 4M, 512K, 32Mbit or 0x400000; a plain number is bytes. False for anything else. */
bool wry_units_parse_size(const char *text, uint32_t *bytes);

/* Parses 0x4000, 16K or 1M. A plain number other than 0 is refused, since it may be meant as
 * hexadecimal. */
bool wry_units_parse_offset(const char *text, uint32_t *offset);

/* Parses a time such as 10s, 1.5s, 200ms, 2min or 1h, or seconds alone, from 1 ms to a day. *time
 * is in us. */
bool wry_units_parse_time(const char *text, uint64_t *time);

bool wry_units_parse_speed(const char *text, uint32_t *baud);

/* "4 MiB (32 Mbit)"; free with g_free. */
char *wry_units_flash_size(uint32_t bytes);

/* "921,696 bytes" or "900 KiB", whichever is exact; free with g_free. */
char *wry_units_bytes(uint64_t bytes);

char *wry_units_address(const uint8_t eui48[6]);
/* A JEDEC ID (JEP106 maker, type, capacity) as "E5 40 16"; free with g_free. */
char *wry_units_jedec(const uint8_t id[3]);

/* Parses six octets such as 02:1A:…, with colons, hyphens or nothing between them. */
bool wry_units_parse_address(const char *text, uint8_t eui48[6]);

/* 64 hexadecimal digits; free with g_free. */
char *wry_units_digest(const uint8_t sha256[WRY_SHA256_SIZE]);

#ifdef __cplusplus
}
#endif

#endif
