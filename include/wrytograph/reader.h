/*
 * Readers: sources of content that provide it piece by piece, so that it need not fit in memory.
 *
 *     struct wry_reader reader = {.context = file, .read = read_from_file};
 *     struct wry_sha256 sha;
 *
 *     wry_sha256_begin(&sha);
 *     if (wry_reader_hash(&reader, 0, length, &sha))
 *         wry_sha256_end(&sha, digest);
 */
#ifndef WRYTOGRAPH_READER_H
#define WRYTOGRAPH_READER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/bytes.h"

#ifdef __cplusplus
extern "C" {
#endif

/*
 * Provides n bytes of content from offset on, counted from its start. False on failure. Bytes may
 * be requested repeatedly and in any order: content is hashed, sent, and sent again.
 */
struct wry_reader {
    void *context;
    bool (*read)(void *context, uint32_t offset, uint8_t *to, size_t n);
};

/* Adds length bytes from offset on to sha, which the caller has begun. False if a read failed. */
bool wry_reader_hash(const struct wry_reader *reader, uint32_t offset, uint32_t length,
                     struct wry_sha256 *sha);

/* Content that is all 0xFF, like erased flash. Its context is not used. */
struct wry_reader wry_reader_blank(void);

#ifdef __cplusplus
}
#endif

#endif
