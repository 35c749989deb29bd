/* SHA-256 of bytes in memory, and of erased flash. */
#include "base/digest.h"

#include "wrytograph/reader.h"

void digest_of(const void *bytes, size_t n, uint8_t sha256[WRY_SHA256_SIZE])
{
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, bytes, n);
    wry_sha256_end(&sha, sha256);
}

uint64_t digest_short_of(const void *bytes, size_t n)
{
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, bytes, n);
    return wry_sha256_end_short(&sha);
}

void digest_of_blank(uint32_t n, uint8_t sha256[WRY_SHA256_SIZE])
{
    struct wry_reader blank = wry_reader_blank();
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    wry_reader_hash(&blank, 0, n, &sha);
    wry_sha256_end(&sha, sha256);
}
