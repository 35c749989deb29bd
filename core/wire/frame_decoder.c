/* The receiving half of RFC 1662 framing. */
#include "bytes/fields.h"
#include "frame_codec.h"
#include "wrytograph/frame.h"

#include "wrytograph/bytes.h"

void frame_decoder_init(struct wry_decoder *decoder, uint8_t *room, size_t capacity)
{
    decoder->body = room;
    decoder->capacity = capacity;
    decoder->length = 0;
    decoder->state = WRY_DECODER_OUTSIDE;
    decoder->fill = 0;
}

static void keep(struct wry_decoder *decoder, uint8_t byte)
{
    if (decoder->fill < decoder->capacity)
        decoder->body[decoder->fill++] = byte;
    else
        decoder->fill = decoder->capacity + 1;
}

/*
 * A flag arrived inside a frame. After a good frame it is the closing flag. After a damaged frame
 * it may be the opening flag of the next one.
 */
static enum wry_frame_event close_frame(struct wry_decoder *decoder)
{
    int aborted = decoder->state == WRY_DECODER_ESCAPED;
    size_t fill = decoder->fill;

    decoder->state = WRY_DECODER_INSIDE;
    decoder->fill = 0;
    if (aborted || fill > decoder->capacity)
        return WRY_FRAME_BAD;
    if (fill <= WRY_FRAME_FCS_SIZE)
        return WRY_FRAME_NONE;
    size_t length = fill - WRY_FRAME_FCS_SIZE;
    if (wry_crc32(0, decoder->body, length) != bytes_get32(decoder->body + length))
        return WRY_FRAME_BAD;
    decoder->state = WRY_DECODER_OUTSIDE;
    decoder->length = length;
    return WRY_FRAME_GOOD;
}

static enum wry_frame_event take_byte(struct wry_decoder *decoder, uint8_t byte)
{
    if (byte == WRY_FRAME_FLAG) {
        if (decoder->state != WRY_DECODER_OUTSIDE)
            return close_frame(decoder);
        decoder->state = WRY_DECODER_INSIDE;
        decoder->fill = 0;
        return WRY_FRAME_NONE;
    }
    switch (decoder->state) {
    case WRY_DECODER_OUTSIDE:
        return WRY_FRAME_OUTSIDE;
    case WRY_DECODER_INSIDE:
        if (byte == WRY_FRAME_ESCAPE)
            decoder->state = WRY_DECODER_ESCAPED;
        else
            keep(decoder, byte);
        return WRY_FRAME_NONE;
    case WRY_DECODER_ESCAPED:
        keep(decoder, byte ^ 0x20);
        decoder->state = WRY_DECODER_INSIDE;
        return WRY_FRAME_NONE;
    }
    return WRY_FRAME_NONE;
}

size_t frame_decoder_take(struct wry_decoder *decoder, const uint8_t *bytes, size_t n,
                          enum wry_frame_event *event)
{
    size_t used = 0;

    *event = WRY_FRAME_NONE;
    while (used < n && decoder->state == WRY_DECODER_OUTSIDE && bytes[used] != WRY_FRAME_FLAG)
        used++;
    if (used > 0) {
        *event = WRY_FRAME_OUTSIDE;
        return used;
    }
    while (used < n && *event == WRY_FRAME_NONE)
        *event = take_byte(decoder, bytes[used++]);
    return used;
}
