/*
 * Known content: what the caller may already know of the content of a board's flash.
 *
 * The session passes on the digests that the board computes of its sectors; the caller looks them
 * up among its images and backups. Content that is known this way need not be read from the board,
 * and new content can be sent as the difference to it. A wrong guess costs time only: the board's
 * digest of the whole range is compared in the end, and if it differs the work is done again
 * without the guess.
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
    /* Reports the first n bytes (8 or 32) of the board's SHA-256 of the sector at offset. True if
     * the caller has content with that digest; read then provides it. */
    bool (*recognise)(void *context, uint32_t offset, const uint8_t *digest, size_t n);
    /* The number of bytes of the range that read can provide: recognised sectors, and the sectors
     * that probably lie between and after them. Whole sectors only. */
    uint32_t (*covers)(void *context, uint32_t offset, uint32_t length);
    /* Provides n bytes from offset on, within one sector. False if they are not known. */
    bool (*read)(void *context, uint32_t offset, uint8_t *to, size_t n);
    /* The content of the range has changed: forget it. */
    void (*forget)(void *context, uint32_t offset, uint32_t length);
};

#ifdef __cplusplus
}
#endif

#endif
