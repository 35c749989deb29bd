/*
 * A deflate encoder (RFC 1951) in bounded memory, for a loader that compresses what it reads.
 *
 * The caller provides all memory; its size decides how far the stream may reach back. The stream
 * depends only on the content, not on the pieces in which it is put in and taken out, so a lost
 * part of a stream can be produced again.
 *
 *     wry_deflate_init(&deflate, memory, sizeof memory);
 *     while (!wry_deflate_is_over(&deflate)) {
 *         size_t n = wry_deflate_room(&deflate);
 *         ... wry_deflate_put(&deflate, bytes, n) or, at the end, wry_deflate_finish(&deflate);
 *         while ((n = wry_deflate_take(&deflate, to, room)) > 0)
 *             send(to, n);
 *     }
 */
#ifndef WRYTOGRAPH_DEFLATE_H
#define WRYTOGRAPH_DEFLATE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_DEFLATE_MEMORY_LEAST (38u * 1024u) /* bytes, for a window of 8 KiB; and */
#define WRY_DEFLATE_MEMORY_MOST                                                                    \
    (148u * 1024u)                 /* for the largest, beyond which nothing is gained              \
                                    */
#define WRY_DEFLATE_TAKE_LEAST 16u /* bytes of room that one take needs */

#define WRY_DEFLATE_LITERALS                                                                       \
    288u /* literal and length codes, with two that never occur (3.2.6)                            \
          */
#define WRY_DEFLATE_DISTANCES 30u

/* A literal byte, or a match: a length and a distance back. */
struct wry_deflate_token {
    uint16_t length;   /* 0: a literal */
    uint16_t distance; /* or the byte */
};

struct wry_deflate {
    uint8_t *window; /* ring buffer of the latest input */
    uint32_t mask;   /* its size - 1 */
    uint16_t *heads; /* by hash of three bytes: where they were seen last, modulo 2^16 */
    uint16_t *chain; /* by position in the window: the previous occurrence */
    uint8_t hash_bits;
    bool quick; /* searches less */
    struct wry_deflate_token *tokens;
    uint32_t tokens_most;

    uint32_t fill;        /* bytes put in so far */
    uint32_t at;          /* bytes already turned into tokens */
    uint32_t block_start; /* first byte of the current block */
    uint32_t token_count;
    uint32_t extra_bits; /* extra bits of the block's lengths and distances */
    bool finishing;      /* wry_deflate_finish was called */
    bool last;           /* the current block is the last one */
    uint8_t step;        /* which part of the block is being written */
    uint32_t given;      /* codes, tokens or bytes of that part written so far */
    uint8_t *out;        /* output buffer during wry_deflate_take */
    uint32_t bits;       /* pending output bits, lowest first */
    uint8_t bit_count;

    uint16_t literals, distances, code_lengths; /* numbers in the header of a dynamic block */
    uint16_t run_count;
    uint8_t head_lengths[19]; /* code lengths of the code length alphabet (section 3.2.7) */
    uint16_t head_codes[19];

    /* Large members come last: small processors encode short offsets in fewer bytes. */
    uint16_t literal_uses[WRY_DEFLATE_LITERALS], far_uses[WRY_DEFLATE_DISTANCES];
    uint8_t lengths[WRY_DEFLATE_LITERALS + WRY_DEFLATE_DISTANCES];
    uint16_t codes[WRY_DEFLATE_LITERALS + WRY_DEFLATE_DISTANCES];
    uint16_t runs[WRY_DEFLATE_LITERALS +
                  WRY_DEFLATE_DISTANCES]; /* code length symbols with their extra bits */
    uint16_t order[WRY_DEFLATE_LITERALS]; /* work area for building codes */
    uint32_t weights[WRY_DEFLATE_LITERALS];
};

/* size is at least WRY_DEFLATE_MEMORY_LEAST; memory is aligned for uint16_t and outlives the
 * encoder. */
void wry_deflate_init(struct wry_deflate *deflate, void *memory, size_t size);
/* Right after wry_deflate_init: streams of firmware are then 1 to 6 % longer, and made with
 * about two thirds of the instructions. */
void wry_deflate_set_quick(struct wry_deflate *deflate);

/* Bytes that can be put in now; 0: call wry_deflate_take first. */
size_t wry_deflate_room(const struct wry_deflate *deflate);
/* Adds n bytes of content, at most wry_deflate_room. */
void wry_deflate_put(struct wry_deflate *deflate, const uint8_t *bytes, size_t n);
/* Marks the end of the content. */
void wry_deflate_finish(struct wry_deflate *deflate);

/* Writes up to room bytes of the stream, room being at least WRY_DEFLATE_TAKE_LEAST. Returns their
 * number; 0: put in more content, or finish. */
size_t wry_deflate_take(struct wry_deflate *deflate, uint8_t *to, size_t room);
/* True once the whole stream has been taken. */
bool wry_deflate_is_over(const struct wry_deflate *deflate);

#ifdef __cplusplus
}
#endif

#endif
