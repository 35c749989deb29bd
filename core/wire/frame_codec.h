/*
 * Coding frames (wrytograph/frame.h describes them).
 *
 *     struct wry_decoder decoder;
 *     frame_decoder_init(&decoder, room, sizeof room);
 *     while (n > 0) {
 *         enum wry_frame_event event;
 *         size_t used = frame_decoder_take(&decoder, bytes, n, &event);
 *         if (event == WRY_FRAME_GOOD)
 *             handle(decoder.body, decoder.length);
 *         bytes += used, n -= used;
 *     }
 */
#ifndef WRY_WIRE_FRAME_CODEC_H
#define WRY_WIRE_FRAME_CODEC_H

#include "wrytograph/frame.h"

/* No pointer may be NULL. room must outlive the decoder and has capacity bytes, at least
 * WRY_FRAME_FCS_SIZE + 1. A copy of a decoder needs its own room. */
void frame_decoder_init(struct wry_decoder *decoder, uint8_t *room, size_t capacity);

/*
 * Decodes up to n bytes and stops after the first event. Returns the number of bytes used (at least
 * 1 if n > 0). Empty frames and frames shorter than the FCS are ignored (section 4.3).
 */
size_t frame_decoder_take(struct wry_decoder *decoder, const uint8_t *bytes, size_t n,
                          enum wry_frame_event *event);

/* payload may be NULL if payload_length is 0. */
void frame_encoder_init(struct wry_encoder *encoder, const uint8_t *head, size_t head_length,
                        const uint8_t *payload, size_t payload_length);

/* Writes up to room bytes to to; returns their number. 0 with room > 0: the frame is complete. */
size_t frame_encoder_give(struct wry_encoder *encoder, uint8_t *to, size_t room);

#endif
