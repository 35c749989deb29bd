/*
 * A decoder of LZMA streams (raw LZMA1, as the LZMA SDK's specification describes it) that arrive
 * in pieces, in bounded memory.
 *
 * The window is the caller's: a ring buffer of the latest output. A stream may also refer to
 * content from before its beginning, and further back than the window, if the caller can provide
 * it: the decoder then stops and says which bytes it needs. The stream is not trusted: a distance
 * beyond what is allowed and a damaged end make it damaged, and it never yields more than was asked
 * for.
 *
 * A stream ends with the end marker, and WRY_LZMA_AHEAD more bytes of any value follow: a symbol is
 * only decoded once as many bytes are there as the longest one needs.
 *
 *     struct wry_lzma lzma;
 *
 *     wry_lzma_init(&lzma, WRY_LZMA_USUAL, window, 8192, 0);
 *     while (wry_lzma_run(&lzma, &in, room) == WRY_LZMA_OUTPUT)
 *         take_out(&lzma);
 */
#ifndef WRYTOGRAPH_LZMA_H
#define WRYTOGRAPH_LZMA_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_LZMA_AHEAD 21u /* bytes: more than any symbol takes, and bytes after the end marker */
#define WRY_LZMA_MATCH_MOST 273u /* bytes of the longest match, and that are needed at once */
#define WRY_LZMA_LITERAL_BITS 1u /* most bits of context and of position for literals together */
#define WRY_LZMA_POSITION_BITS 2u
/* The parameters lc, lp and pb in one byte, (pb * 5 + lp) * 9 + lc: with lc 0, lp 1 and pb 2, good
 * for 4-byte instructions. */
#define WRY_LZMA_USUAL 99u

/* Probabilities: those of literals come last. */
#define WRY_LZMA_LENGTH_PROBS (2u + 2u * 32u + 256u)
#define WRY_LZMA_COMMON_PROBS                                                                      \
    (2u * 12u * 4u + 4u * 12u + 4u * 64u + 115u + 16u + 2u * WRY_LZMA_LENGTH_PROBS)
#define WRY_LZMA_PROBS (WRY_LZMA_COMMON_PROBS + (0x300u << WRY_LZMA_LITERAL_BITS))

enum wry_lzma_result {
    WRY_LZMA_INPUT,   /* the input is used up: more is needed */
    WRY_LZMA_OUTPUT,  /* room bytes have come out */
    WRY_LZMA_FAR,     /* bytes are needed that the window does not have: see wry_lzma_far */
    WRY_LZMA_END,     /* the end marker has come; the decoder took some bytes after it */
    WRY_LZMA_DAMAGED, /* not such a stream, or not one for this window */
};

struct wry_lzma {
    uint8_t *window;
    uint32_t mask;   /* window size - 1 */
    uint32_t total;  /* bytes of output so far; the next one goes to window[total & mask] */
    uint32_t before; /* bytes that the stream may refer to from before its beginning */
    uint32_t range, code;
    uint32_t distance[4]; /* the latest distances, less 1; the last one used first */
    uint32_t left;        /* bytes still to be copied by the current match */
    uint8_t state;        /* the kinds of the latest symbols, 0 to 11 */
    uint8_t step;
    uint8_t position_mask, literal_position_mask, literal_context;
    uint8_t match_byte; /* provided by the caller for a literal */
    uint8_t held_fill;
    uint8_t held[WRY_LZMA_AHEAD]; /* input that is too short for a symbol yet */
    uint16_t probs[WRY_LZMA_PROBS];
};

/* The unused rest of a piece of the stream. */
struct wry_lzma_input {
    const uint8_t *bytes;
    size_t n;
};

/* True if this decoder has room for these parameters. */
bool wry_lzma_supports(uint8_t parameters);

/*
 * The parameters must be supported. window_size is a power of two of at
 * least 256; the window must outlive the decoder. before: bytes from before the stream's beginning
 * to which it may refer. If it is 0 the stream must not reach back further than the window, and
 * WRY_LZMA_FAR does not occur.
 */
void wry_lzma_init(struct wry_lzma *lzma, uint8_t parameters, uint8_t *window, uint32_t window_size,
                   uint32_t before);

/*
 * Runs until room more bytes have come out, the input is used up, or the stream ends; advances
 * input by what it used. room is at most the window's size, so that no output is overwritten before
 * the caller has seen it. It may be called again after any result; END and DAMAGED stay.
 */
enum wry_lzma_result wry_lzma_run(struct wry_lzma *lzma, struct wry_lzma_input *input,
                                  uint32_t room);

/*
 * Which bytes are needed. Returns their number, 0 unless run has returned WRY_LZMA_FAR; *back is
 * the distance from the first of them to the next byte of output, at most total + before.
 */
uint32_t wry_lzma_far(const struct wry_lzma *lzma, uint32_t *back);

/* Provides the first n of those bytes, at most as many as there is room for output. */
void wry_lzma_supply(struct wry_lzma *lzma, const uint8_t *bytes, uint32_t n);

#ifdef __cplusplus
}
#endif

#endif
