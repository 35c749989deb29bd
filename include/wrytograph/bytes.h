/*
 * Blank checks, checksums and digests. Contexts are plain structs of the caller and hold no
 * pointers into themselves, so a running computation can be copied.
 *
 *     struct wry_sha256 sha;
 *     uint8_t digest[WRY_SHA256_SIZE];
 *
 *     wry_sha256_begin(&sha);
 *     wry_sha256_add(&sha, data, length);
 *     wry_sha256_end(&sha, digest);
 */
#ifndef WRYTOGRAPH_BYTES_H
#define WRYTOGRAPH_BYTES_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_SHA256_SIZE 32u

/* True if all n bytes are 0xFF, the erased state of NOR flash; true for n = 0. */
bool wry_bytes_blank(const uint8_t *bytes, size_t n);

/*
 * CRC-32 as in RFC 1662 section C.3 and ISO-HDLC: reflected polynomial 0xEDB88320, initial value
 * and final complement 0xFFFFFFFF. crc is the result of the previous call, 0 for the first.
 */
uint32_t wry_crc32(uint32_t crc, const uint8_t *bytes, size_t n);

/* SHA-256, FIPS 180-4. */
struct wry_sha256 {
    uint32_t state[8];
    uint64_t length; /* bytes added so far */
    uint8_t block[64];
};

void wry_sha256_begin(struct wry_sha256 *sha);
void wry_sha256_add(struct wry_sha256 *sha, const uint8_t *bytes, size_t n);
/* The same, with whole blocks of 64 bytes added to the state (section 6.2.2) by another function,
 * such as an accelerator's; NULL: by our own. */
void wry_sha256_add_by(struct wry_sha256 *sha, const uint8_t *bytes, size_t n,
                       void (*add)(void *context, uint32_t state[8], const uint8_t *blocks,
                                   size_t count),
                       void *context);
/* Writes the digest. The context must not be used again before the next begin. */
void wry_sha256_end(struct wry_sha256 *sha, uint8_t digest[WRY_SHA256_SIZE]);
/* Ends it likewise; returns only the first 8 bytes of the digest, as a little-endian number. */
uint64_t wry_sha256_end_short(struct wry_sha256 *sha);

#ifdef __cplusplus
}
#endif

#endif
