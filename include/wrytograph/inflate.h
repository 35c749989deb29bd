/*
 * An inflater (RFC 1951) for streams that arrive in pieces, in bounded memory.
 *
 * The window is the caller's: a ring buffer of the latest output, from which the stream also
 * copies. Input may come in pieces of any size, down to single bytes. The stream is not trusted: a
 * distance beyond the window or before the start, contradicting codes and unknown block types end
 * it as damaged, and it never yields more than was asked for.
 *
 *     struct wry_inflate inflate;
 *
 *     wry_inflate_init(&inflate, window, 4096);
 *     while (wry_inflate_run(&inflate, &in, room) == WRY_INFLATE_OUTPUT)
 *         take_out(&inflate);
 */
#ifndef WRYTOGRAPH_INFLATE_H
#define WRYTOGRAPH_INFLATE_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_INFLATE_WINDOW_MAX 32768u /* bytes: RFC 1951 section 2 */
#define WRY_INFLATE_WINDOW_LEAST 256u
#define WRY_INFLATE_LITERALS 288u /* literal and length codes, section 3.2.6 */
#define WRY_INFLATE_DISTANCES 30u /* distance codes in use, section 3.2.5 */
#define WRY_INFLATE_CODE_BITS 15u /* bits of the longest code, section 3.2.7 */

enum wry_inflate_result {
    WRY_INFLATE_INPUT,   /* the input is used up: more is needed */
    WRY_INFLATE_OUTPUT,  /* room bytes have come out */
    WRY_INFLATE_END,     /* the last block has ended; input after it is untouched */
    WRY_INFLATE_DAMAGED, /* not a deflate stream, or not one for this window */
};

#define WRY_INFLATE_FAST_BITS 8u /* bits that the lookup tables decode in one step */

/* The codes of one alphabet: their number for each length, and their symbols in order. */
struct wry_inflate_code {
    uint16_t count[WRY_INFLATE_CODE_BITS + 1];
    uint16_t *symbol;
    uint16_t *fast; /* lookup by the next bits: symbol * 16 + length; 0 for a longer code */
};

struct wry_inflate {
    uint8_t *window;
    uint32_t mask;  /* window size - 1 */
    uint32_t total; /* bytes of output so far; the next one goes to window[total & mask] */
    uint32_t bits;  /* input bits not used yet, lowest first */
    uint8_t bit_count;
    uint8_t state;
    uint8_t last;   /* the current block is the last one */
    uint8_t symbol; /* a repeat or a length that waits for its extra bits */
    uint16_t literals, distances, lengths_read; /* numbers in the header of a dynamic block */
    uint16_t code_lengths;
    uint32_t left; /* bytes still to be copied by the current match */
    uint32_t distance;
    struct wry_inflate_code literal, far;
    uint16_t literal_fast[1u << WRY_INFLATE_FAST_BITS], far_fast[1u << WRY_INFLATE_FAST_BITS];
    uint16_t literal_symbols[WRY_INFLATE_LITERALS];
    uint16_t far_symbols[WRY_INFLATE_DISTANCES + 2];
    uint8_t lengths[WRY_INFLATE_LITERALS + WRY_INFLATE_DISTANCES + 2];
};

/* The unused rest of a piece of the stream. */
struct wry_inflate_input {
    const uint8_t *bytes;
    size_t n;
};

/*
 * window_size is a power of two of at least WRY_INFLATE_WINDOW_LEAST. No stream reaches further
 * back than WRY_INFLATE_WINDOW_MAX; a larger window only holds more of what was decoded. The window
 * must outlive the inflater. The inflater points into itself: do not copy or move it.
 */
void wry_inflate_init(struct wry_inflate *inflate, uint8_t *window, uint32_t window_size);

/*
 * Runs until room more bytes have come out, the input is used up, or the stream ends; advances
 * input by what it used. room is at most the window's size, so that no output is overwritten before
 * the caller has seen it. It may be called again after any result; END and DAMAGED stay.
 */
enum wry_inflate_result wry_inflate_run(struct wry_inflate *inflate,
                                        struct wry_inflate_input *input, uint32_t room);

#ifdef __cplusplus
}
#endif

#endif
