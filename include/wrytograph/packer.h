/*
 * Packers encode content as a shorter stream, for boards whose loader can decode it.
 *
 * The session itself has no encoder: it is freestanding, and an encoder needs megabytes. A packer
 * reads content through a reader and returns the stream piece by piece. pack/content_packer.h is
 * one, over zlib and libdivsufsort. Without a packer, the session sends content unencoded.
 *
 *     config.packer = &packer;
 */
#ifndef WRYTOGRAPH_PACKER_H
#define WRYTOGRAPH_PACKER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/known.h"
#include "wrytograph/reader.h"

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_PACKER_MEMORY_LEAST (64u * 1024u) /* bytes: as much as a board may hold ahead */

/* The content to encode, and the limits that the board's decoder sets. */
struct wry_packing {
    struct wry_reader content;
    uint32_t length; /* bytes of content */
    uint8_t coding;  /* enum wry_coding */
    uint32_t window; /* bytes that the stream may reach back, a power of two */
    uint8_t filters; /* bit n set: the board knows enum wry_filter n */
    uint32_t offset; /* flash offset of the content */
    bool thorough;   /* for codings with old content: the line is slow, so a shorter stream is worth
                        the   time to find it */
    /* For codings with old content: what the stream may refer to. While a block is rewritten, the
     * board still has the old content of that block (aligned to its size, a power of two), of
     * old_history bytes before it, of everything after it, and of everything outside the range
     * offset + length. From the end down, before and after are exchanged. */
    bool down; /* WRY_CODING_LZMA_OLD: from the end down, with all bytes in reverse order */
    uint32_t old_block;            /* bytes */
    uint32_t old_history;          /* bytes */
    const struct wry_known *known; /* the old content, by flash offset */
    /* True if the sector at this flash offset also holds bytes outside the new content; context is
     * that of content. The stream must not copy from old content for such a sector: if known is
     * wrong and the job is interrupted, those bytes could not be recovered. NULL: no sector does.
     */
    bool (*is_shared)(void *context, uint32_t offset);
};

/* What the packer chose, for the request to the board (struct wry_erase_message). */
struct wry_stream_form {
    uint8_t filter;
    uint8_t parameters;
    uint32_t old_length;
};

struct wry_packer {
    void *context;
    /* Begins a stream and fills in form. What packing points to stays valid until the next begin or
     * the end of the session. False if it cannot encode this: the session then tries another coding
     * or sends the content unencoded. */
    bool (*begin)(void *context, const struct wry_packing *packing, struct wry_stream_form *form);
    /* Writes up to room bytes of the stream to to; *given is their number, 0 at its end. False if
     * the content cannot be read. */
    bool (*give)(void *context, uint8_t *to, size_t room, size_t *given);
    /* Says which ways to pack the same content measure is asked for next, by estimates: they can be
     * measured at once. pieces: count of measure. NULL: they are measured one by one. */
    void (*prepare)(void *context, const struct wry_packing *packings, unsigned count,
                    uint32_t piece, uint32_t pieces);
    /* How long the stream is: ends[i] is set to its bytes once (i + 1) * piece bytes of the content
     * are encoded, never less than the one before; count is length / piece, rounded up. Unless
     * exact is set, an estimate may do. False if it cannot encode this. */
    bool (*measure)(void *context, const struct wry_packing *packing, bool exact, uint32_t piece,
                    uint32_t *ends, uint32_t count);
    uint8_t *memory; /* holds what the board has not acknowledged, for retransmission */
    size_t size;     /* bytes of it, at least WRY_PACKER_MEMORY_LEAST, a multiple of a page */
};

#ifdef __cplusplus
}
#endif

#endif
