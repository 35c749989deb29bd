/*
 * Inflate: taking a deflate stream apart (RFC 1951), piece by piece, in bounded memory.
 *
 * The window is the caller's: a ring that holds the latest bytes, where what comes out appears, and
 * where the stream copies from. The stream may come in any pieces, down to single bytes. Nothing of
 * it is believed: a distance beyond the window or before the start, codes that contradict each
 * other and unknown blocks end it as damaged, and no more than what is asked for comes out.
 *
 *     struct wry_inflate inflate;
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
#define WRY_INFLATE_CODE_BITS 15u /* of the longest code, section 3.2.7 */

enum wry_inflate_result {
    WRY_INFLATE_INPUT,   /* all that was given is used up: more is wanted */
    WRY_INFLATE_OUTPUT,  /* as much as was asked for has come out */
    WRY_INFLATE_END,     /* the last block is over; what is behind it was not touched */
    WRY_INFLATE_DAMAGED, /* it is no deflate stream, or not one for this window */
};

#define WRY_INFLATE_FAST_BITS 8u /* of the codes that one look at a table takes */

/* Codes of one alphabet: how many there are of each length, and their symbols in order. */
struct wry_inflate_code {
    uint16_t count[WRY_INFLATE_CODE_BITS + 1];
    uint16_t *symbol;
    uint16_t *fast; /* by the next bits: symbol * 16 + length, 0 for a longer code */
};

struct wry_inflate {
    uint8_t *window;
    uint32_t mask;  /* window size - 1 */
    uint32_t total; /* bytes that have come out; the next one goes to window[total & mask] */
    uint32_t bits;  /* read and not used, from bit 0 */
    uint8_t bit_count;
    uint8_t state;
    uint8_t last;   /* the block in hand is the last one */
    uint8_t symbol; /* of a repeat or a length whose extra bits are due */
    uint16_t literals, distances, lengths_read; /* of a dynamic block's head */
    uint16_t code_lengths;
    uint32_t left; /* bytes still to be copied */
    uint32_t distance;
    struct wry_inflate_code literal, far;
    uint16_t literal_fast[1u << WRY_INFLATE_FAST_BITS], far_fast[1u << WRY_INFLATE_FAST_BITS];
    uint16_t literal_symbols[WRY_INFLATE_LITERALS];
    uint16_t far_symbols[WRY_INFLATE_DISTANCES + 2];
    uint8_t lengths[WRY_INFLATE_LITERALS + WRY_INFLATE_DISTANCES + 2];
};

/* What is left of a piece of the stream. */
struct wry_inflate_input {
    const uint8_t *bytes;
    size_t n;
};

/*
 * window_size is a power of two from WRY_INFLATE_WINDOW_LEAST to WRY_INFLATE_WINDOW_MAX. The window
 * outlives the inflater, which points into itself: it must not be copied or moved.
 */
void wry_inflate_init(struct wry_inflate *inflate, uint8_t *window, uint32_t window_size);

/*
 * Goes on until room bytes more have come out, the input is used up, or the stream ends; input is
 * moved on by what was used. room is at most the window's size, so that nothing is lost. May be
 * called again after any result; END and DAMAGED stay.
 */
enum wry_inflate_result wry_inflate_run(struct wry_inflate *inflate,
                                        struct wry_inflate_input *input, uint32_t room);

#ifdef __cplusplus
}
#endif

#endif
