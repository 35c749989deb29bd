/* The sending half of RFC 1662 framing. */
#include "bytes/fields.h"
#include "frame_codec.h"
#include "wrytograph/frame.h"

#include "wrytograph/bytes.h"

void frame_encoder_init(struct wry_encoder *encoder, const uint8_t *head, size_t head_length,
                        const uint8_t *payload, size_t payload_length)
{
    encoder->head = head;
    encoder->head_length = head_length;
    encoder->payload = payload;
    encoder->payload_length = payload_length;
    uint32_t fcs = wry_crc32(0, head, head_length);
    bytes_put32(encoder->fcs, wry_crc32(fcs, payload, payload_length));
    encoder->part = WRY_ENCODER_OPENING;
    encoder->at = 0;
    encoder->escaped = 0;
}

/* The octets of the current part; NULL for flags. */
static const uint8_t *part_bytes(const struct wry_encoder *encoder, size_t *length)
{
    switch (encoder->part) {
    case WRY_ENCODER_HEAD:
        *length = encoder->head_length;
        return encoder->head;
    case WRY_ENCODER_PAYLOAD:
        *length = encoder->payload_length;
        return encoder->payload;
    case WRY_ENCODER_FCS:
        *length = WRY_FRAME_FCS_SIZE;
        return encoder->fcs;
    default:
        *length = 0;
        return NULL;
    }
}

static size_t give_part(struct wry_encoder *encoder, uint8_t *to, size_t room)
{
    size_t length, given = 0;
    const uint8_t *bytes = part_bytes(encoder, &length);

    while (encoder->at < length && given < room) {
        uint8_t byte = bytes[encoder->at];
        if (encoder->escaped) {
            to[given++] = byte ^ 0x20;
            encoder->escaped = 0;
        } else if (byte == WRY_FRAME_FLAG || byte == WRY_FRAME_ESCAPE) {
            to[given++] = WRY_FRAME_ESCAPE;
            encoder->escaped = 1;
            continue;
        } else {
            to[given++] = byte;
        }
        encoder->at++;
    }
    if (encoder->at == length) {
        encoder->part++;
        encoder->at = 0;
    }
    return given;
}

size_t frame_encoder_give(struct wry_encoder *encoder, uint8_t *to, size_t room)
{
    size_t given = 0;

    while (given < room && encoder->part != WRY_ENCODER_DONE) {
        if (encoder->part == WRY_ENCODER_OPENING || encoder->part == WRY_ENCODER_CLOSING) {
            to[given++] = WRY_FRAME_FLAG;
            encoder->part++;
        } else {
            given += give_part(encoder, to + given, room - given);
        }
    }
    return given;
}
