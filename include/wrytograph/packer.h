/*
 * Packers: content as a stream that is shorter than itself, for boards that can unpack it.
 *
 * The session does not pack: whoever uses it on a computer has better means than a microcontroller
 * would. A packer takes content through a reader and gives a stream, piece by piece; pack/pack.h is
 * one, over zlib and libdivsufsort. Without a packer, content goes out as it is.
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

/* What is to be packed. */
struct wry_packing {
    struct wry_reader content;
    uint32_t length; /* bytes of content */
    uint8_t coding;  /* enum wry_coding */
    uint32_t window; /* bytes that the stream may reach back, a power of two */
    /* For WRY_CODING_DIFFERENCE alone. Of the flash from offset on, for length, the board keeps the
     * block (aligned to its size, a power of two) that the new content in hand belongs to, and
     * old_history bytes before it; what lies ahead and outside is there still. */
    uint32_t offset;               /* of the content in the flash */
    uint32_t old_block;            /* bytes */
    uint32_t old_history;          /* bytes */
    const struct wry_known *known; /* what the flash held before, by flash offset */
    /* Whether the sector there (by flash offset) holds other content beside the new; context is the
     * content's. Nothing in it may come from old content: where that is not what is known, and a
     * cut follows, nobody could tell what stood there. NULL = none does. */
    bool (*is_shared)(void *context, uint32_t offset);
};

struct wry_packer {
    void *context;
    /* Begins a stream; what the packing points to stays until the next begin or the session's end.
     * False when it cannot pack like this: the content goes as it is then. */
    bool (*begin)(void *context, const struct wry_packing *packing);
    /* Puts up to room bytes of the stream at to: *given of them, 0 once it is over. False when the
     * content could not be read. */
    bool (*give)(void *context, uint8_t *to, size_t room, size_t *given);
    uint8_t *memory; /* keeps what the board has not acknowledged yet, for sending it again */
    size_t size;     /* bytes of it, at least WRY_PACKER_MEMORY_LEAST, a multiple of a page */
};

#ifdef __cplusplus
}
#endif

#endif
