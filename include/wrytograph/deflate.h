/*
 * Deflate: packing bytes in bounded memory (RFC 1951), for a board that sends what it reads.
 *
 * All memory is the caller's; how much it is decides how far the stream reaches back. Content is
 * put in by pieces and the stream taken out by pieces; the same content in any pieces gives the
 * same stream, so that a part of it that was lost can be made again.
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

/* A byte, or a length and a distance back. */
struct wry_deflate_token {
    uint16_t length;   /* 0: a literal */
    uint16_t distance; /* or the byte */
};

struct wry_deflate {
    uint8_t *window; /* a ring: what came last */
    uint32_t mask;   /* its size - 1 */
    uint16_t *heads; /* by hash: where three such bytes stood last, modulo 2^16 */
    uint16_t *chain; /* by place in the window: where they stood before that */
    uint8_t hash_bits;
    struct wry_deflate_token *tokens;
    uint32_t tokens_most;

    uint32_t fill;        /* bytes that came in */
    uint32_t at;          /* of these, in tokens */
    uint32_t block_start; /* the block's first */
    uint32_t token_count;
    uint32_t extra_bits; /* of the block's lengths and distances */
    bool finishing;      /* no more will come in */
    bool last;           /* the block in hand is the last one */
    uint8_t step;        /* of giving a block out */
    uint32_t given;      /* codes, tokens or bytes of it */
    uint8_t *out;        /* during a take */
    uint32_t bits;       /* not given out yet, from bit 0 */
    uint8_t bit_count;

    uint16_t literals, distances, code_lengths; /* in the head of a dynamic block */
    uint16_t run_count;
    uint8_t head_lengths[19]; /* of the code that codes the lengths */
    uint16_t head_codes[19];

    /* What is large comes last: small processors reach little beyond the start. */
    uint16_t literal_uses[WRY_DEFLATE_LITERALS], far_uses[WRY_DEFLATE_DISTANCES];
    uint8_t lengths[WRY_DEFLATE_LITERALS + WRY_DEFLATE_DISTANCES];
    uint16_t codes[WRY_DEFLATE_LITERALS + WRY_DEFLATE_DISTANCES];
    uint16_t runs[WRY_DEFLATE_LITERALS + WRY_DEFLATE_DISTANCES]; /* symbol, and its extra bits */
    uint16_t order[WRY_DEFLATE_LITERALS];                        /* while codes are made */
    uint32_t weights[WRY_DEFLATE_LITERALS];
};

/* size is at least WRY_DEFLATE_MEMORY_LEAST, and memory aligned for uint16_t. Both outlive it. */
void wry_deflate_init(struct wry_deflate *deflate, void *memory, size_t size);

/* Bytes that can be put in now. 0: take first. */
size_t wry_deflate_room(const struct wry_deflate *deflate);
/* n is at most the room. */
void wry_deflate_put(struct wry_deflate *deflate, const uint8_t *bytes, size_t n);
/* No more comes in. */
void wry_deflate_finish(struct wry_deflate *deflate);

/* Bytes of the stream; room is at least WRY_DEFLATE_TAKE_LEAST. 0: put or finish first. */
size_t wry_deflate_take(struct wry_deflate *deflate, uint8_t *to, size_t room);
/* All of it was taken. */
bool wry_deflate_is_over(const struct wry_deflate *deflate);

#ifdef __cplusplus
}
#endif

#endif
