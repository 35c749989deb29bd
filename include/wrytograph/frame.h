/*
 * Frames: RFC 1662 octet-stuffed HDLC-like framing with the 32-bit FCS.
 *
 * A frame on the line is a flag (0x7E), the stuffed body and its FCS (section C.3, least
 * significant octet first), and a closing flag. Bodies are opaque here. Both directions are
 * incremental: the encoder emits into buffers of any size, the decoder takes input in any
 * chunks, and memory is bounded. Every frame has a flag of its own at both ends (none is shared),
 * so text between frames can be told from a frame, and one damaged flag costs one frame. No control
 * characters are mapped (the ACCM is 0): the line must be 8-bit clean.
 *
 * Sessions and loaders do this by themselves: the structs are here because theirs hold them.
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

/* Bytes on the line for a body of n bytes, at worst: every octet escaped, and two flags. */
#define WRY_FRAME_WORST(n) (2u * ((n) + WRY_FRAME_FCS_SIZE) + 2u)

enum wry_frame_event {
    WRY_FRAME_NONE,    /* input used up, no frame ended */
    WRY_FRAME_GOOD,    /* decoder.body and decoder.length hold a body whose FCS is right */
    WRY_FRAME_BAD,     /* a frame ended with a wrong FCS, too long, or aborted (section 4.2) */
    WRY_FRAME_OUTSIDE, /* the bytes used stood outside any frame */
};

enum wry_decoder_state {
    WRY_DECODER_OUTSIDE, /* before the first flag, or after a closing flag */
    WRY_DECODER_INSIDE,
    WRY_DECODER_ESCAPED,
};

struct wry_decoder {
    uint8_t *body;   /* the caller's room; holds body and FCS while a frame comes in */
    size_t capacity; /* its size: largest body + WRY_FRAME_FCS_SIZE */
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

/* A frame on its way out. Body = head followed by payload; both stay the caller's until done. May
 * be copied, to send the same once more. */
struct wry_encoder {
    const uint8_t *head, *payload;
    size_t head_length, payload_length;
    uint8_t fcs[WRY_FRAME_FCS_SIZE];
    enum wry_encoder_part part;
    size_t at; /* next byte within the part */
    int escaped;
};

#ifdef __cplusplus
}
#endif

#endif
