/*
 * Known content: what the caller may have already of what a board's flash holds.
 *
 * The session tells the digests that the board gives of its sectors; the caller looks them up among
 * images and backups of its own. What it knows need not be read from the board, and new content can
 * be sent as its difference to it. Nothing depends on it: a digest by the board over all is the
 * proof, and where that differs the work is done again without what was believed.
 *
 *     config.known = &known;
 */
#ifndef WRYTOGRAPH_KNOWN_H
#define WRYTOGRAPH_KNOWN_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

struct wry_known {
    void *context;
    /* The sector at offset has a SHA-256 that begins with these n bytes (8 or 32), by the board.
     * True when the caller has content with that digest, which read then gives. */
    bool (*recognise)(void *context, uint32_t offset, const uint8_t *digest, size_t n);
    /* Bytes of the range that read gives: what was recognised, and what is likely to stand between
     * and behind that, whole sectors of it. */
    uint32_t (*covers)(void *context, uint32_t offset, uint32_t length);
    /* n bytes from offset, within one sector. False where nothing is known. */
    bool (*read)(void *context, uint32_t offset, uint8_t *to, size_t n);
    /* The content of the range has changed: nothing is known of it any more. */
    void (*forget)(void *context, uint32_t offset, uint32_t length);
};

#ifdef __cplusplus
}
#endif

#endif
