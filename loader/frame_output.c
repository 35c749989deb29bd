/* Outgoing frames, encoded as a whole into a buffer that the line drains. */
#include "loader_inner.h"
#include "wire/frame_codec.h"

#include "bytes/memory.h"

/* Moves the data to the start of the buffer, so that the free space is in one piece. */
static void compact(struct wry_loader *loader)
{
    memmove(loader->output, loader->output + loader->output_sent,
            loader->output_fill - loader->output_sent);
    loader->output_fill -= loader->output_sent;
    loader->output_sent = 0;
}

bool loader_output_has_room(const struct wry_loader *loader, size_t body_length)
{
    size_t waiting = loader->output_fill - loader->output_sent;

    return waiting + WRY_FRAME_WORST(body_length) <= sizeof loader->output;
}

void loader_output_frame(struct wry_loader *loader, const uint8_t *head, size_t head_length,
                         const uint8_t *payload, size_t payload_length)
{
    struct wry_encoder encoder;

    compact(loader);
    frame_encoder_init(&encoder, head, head_length, payload, payload_length);
    loader->output_fill += frame_encoder_give(&encoder, loader->output + loader->output_fill,
                                              sizeof loader->output - loader->output_fill);
    loader->port->worked(loader->port->context, WRY_WORK_FRAME_OUT,
                         (uint32_t)(head_length + payload_length));
}

void loader_output_error(struct wry_loader *loader, uint8_t of_kind, uint16_t seq, uint8_t code,
                         uint32_t offset)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_error_message error = {.of_kind = of_kind, .code = code, .offset = offset};
    size_t n = wry_message_put_error(head, seq, &error);

    if (loader_output_has_room(loader, n))
        loader_output_frame(loader, head, n, NULL, 0);
}

bool loader_output_drain(struct wry_loader *loader)
{
    loader->output_sent +=
        loader->port->transmit(loader->port->context, loader->output + loader->output_sent,
                               loader->output_fill - loader->output_sent);
    return loader->output_sent < loader->output_fill;
}
