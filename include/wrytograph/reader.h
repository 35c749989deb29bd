/*
 * Readers: where content comes from, piece by piece, so that nothing has to be held whole.
 *
 *     struct wry_reader reader = {.context = file, .read = read_from_file};
 *     struct wry_sha256 sha;
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
 * Gives n bytes of content from offset (counted from the content's start). False on failure. It may
 * be called several times for the same bytes, and backwards: content is hashed, sent, and sent
 * again.
 */
struct wry_reader {
    void *context;
    bool (*read)(void *context, uint32_t offset, uint8_t *to, size_t n);
};

/* Adds length bytes from offset on to sha, which the caller has begun. False when a read failed. */
bool wry_reader_hash(const struct wry_reader *reader, uint32_t offset, uint32_t length,
                     struct wry_sha256 *sha);

/* Content that is 0xFF throughout, as erased flash is. Its context is not used. */
struct wry_reader wry_reader_blank(void);

#ifdef __cplusplus
}
#endif

#endif
