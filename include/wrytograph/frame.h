/*
 * Frames: RFC 1662 octet-stuffed HDLC-like framing with the 32-bit FCS.
 *
 * A frame on the line is a flag (0x7E), the stuffed body and its FCS (section C.3, least
 * significant octet first), and a closing flag. Bodies are opaque here. Encoder and decoder work on
 * buffers of any size and need bounded memory. Frames do not share flags: each has an opening and a
 * closing one, so text between two frames is recognised as text, and a damaged flag loses one frame
 * only. No control characters are mapped (the ACCM is 0): the line must be 8-bit clean.
 *
 * Programs need not call anything here. The structs are public because those of sessions and
 * loaders contain them.
 */
#ifndef WRYTOGRAPH_FRAME_H
#define WRYTOGRAPH_FRAME_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_FRAME_FLAG 0x7Eu
#define WRY_FRAME_ESCAPE 0x7Du
#define WRY_FRAME_FCS_SIZE 4u

/* Bytes on the line for a body of n bytes in the worst case: every octet escaped, and two flags. */
#define WRY_FRAME_WORST(n) (2u * ((n) + WRY_FRAME_FCS_SIZE) + 2u)

enum wry_frame_event {
    WRY_FRAME_NONE, /* the input is used up; no frame has ended */
    WRY_FRAME_GOOD, /* decoder.body and decoder.length hold a body with a correct FCS */
    WRY_FRAME_BAD,  /* a frame ended that has a wrong FCS, is too long or was aborted (section 4.2)
                     */
    WRY_FRAME_OUTSIDE, /* the consumed bytes were outside any frame */
};

enum wry_decoder_state {
    WRY_DECODER_OUTSIDE, /* before the first flag, or after a closing flag */
    WRY_DECODER_INSIDE,
    WRY_DECODER_ESCAPED,
};

struct wry_decoder {
    uint8_t *body;   /* the caller's buffer, for body and FCS of the incoming frame */
    size_t capacity; /* bytes of it: the largest body + WRY_FRAME_FCS_SIZE */
    size_t length;   /* body length after WRY_FRAME_GOOD */
    enum wry_decoder_state state;
    size_t fill; /* bytes of the frame so far; capacity + 1 once it is too long */
};

enum wry_encoder_part {
    WRY_ENCODER_OPENING,
    WRY_ENCODER_HEAD,
    WRY_ENCODER_PAYLOAD,
    WRY_ENCODER_FCS,
    WRY_ENCODER_CLOSING,
    WRY_ENCODER_DONE,
};

/* An outgoing frame. The body is head followed by payload; both belong to the caller and stay valid
 * until the frame is sent. Copy the struct to send the same frame again. */
struct wry_encoder {
    const uint8_t *head, *payload;
    size_t head_length, payload_length;
    uint8_t fcs[WRY_FRAME_FCS_SIZE];
    enum wry_encoder_part part;
    size_t at; /* next byte of the current part */
    int escaped;
};

#ifdef __cplusplus
}
#endif

#endif
