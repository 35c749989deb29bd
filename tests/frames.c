/* Talking to a loader frame by frame. */
#include "frames.h"
#include "core/wire/frame_codec.h"

#include <string.h>

#include "harness.h"

void frames_begin(struct frames *wire, const struct rig_setup *setup)
{
    memset(wire, 0, sizeof *wire);
    wire->rig = rig_new(setup);
    const struct wry_port *port = &wire->rig->adapter.port;
    port->set_lines(port->context, true, true);
    port->set_lines(port->context, false, true);
    port->sleep(port->context, 100 * MS);
    port->discard(port->context);
    frame_decoder_init(&wire->decoder, wire->body, sizeof wire->body);
}

void frames_say(struct frames *wire, const uint8_t *head, size_t n, const uint8_t *payload,
                size_t m)
{
    uint8_t line[WRY_FRAME_WORST(WRY_BODY_MAX)];
    struct wry_encoder encoder;
    const struct wry_port *port = &wire->rig->adapter.port;

    frame_encoder_init(&encoder, head, n, payload, m);
    size_t length = frame_encoder_give(&encoder, line, sizeof line);
    port->write(port->context, line, length);
}

/* The next frame within the time (us); false when none comes. */
bool frames_hear(struct frames *wire, uint64_t time)
{
    const struct wry_port *port = &wire->rig->adapter.port;
    uint64_t deadline = port->now(port->context) + time;
    enum wry_frame_event event;
    uint8_t byte;
    size_t got;

    for (;;) {
        port->read(port->context, &byte, 1, deadline, &got);
        if (got == 0)
            return false;
        frame_decoder_take(&wire->decoder, &byte, 1, &event);
        if (event == WRY_FRAME_GOOD)
            return wry_message_split(&wire->last, wire->body, wire->decoder.length);
    }
}

bool frames_hear_kind(struct frames *wire, uint8_t kind, uint64_t time)
{
    while (frames_hear(wire, time)) {
        if (wire->last.kind == kind)
            return true;
    }
    return false;
}

void frames_hello(struct frames *wire, uint32_t token)
{
    struct wry_hello_message hello = {.token = token, .version_min = 1, .version_max = 1};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    frames_say(wire, head, wry_message_put_hello(head, ++wire->seq, &hello), NULL, 0);
    CHECK(frames_hear_kind(wire, WRY_KIND_HELLO | WRY_KIND_REPLY, 100 * MS));
}

void frames_range(struct frames *wire, uint8_t kind, uint8_t flags, uint32_t offset,
                  uint32_t length)
{
    struct wry_range_message range = {.offset = offset, .length = length};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    frames_say(wire, head, wry_message_put_range(head, kind, flags, ++wire->seq, &range), NULL, 0);
}

void frames_data(struct frames *wire, uint32_t offset, const uint8_t *bytes, uint32_t length)
{
    struct wry_data_message data = {.offset = offset, .length = length};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    size_t n = wry_message_put_data(head, WRY_KIND_DATA, ++wire->seq, &data);
    frames_say(wire, head, n, bytes, length);
}

void frames_expect_error(struct frames *wire, uint8_t code)
{
    struct wry_error_message error = {0};

    CHECK(frames_hear_kind(wire, WRY_KIND_ERROR, 200 * MS));
    CHECK(wry_message_get_error(&wire->last, &error));
    CHECK_EQUAL(code, error.code);
}

struct wry_progress_message frames_ask_status(struct frames *wire)
{
    struct wry_progress_message progress = {0};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    frames_say(wire, head, wry_message_put_bare(head, WRY_KIND_STATUS, ++wire->seq), NULL, 0);
    do
        CHECK(frames_hear_kind(wire, WRY_KIND_STATUS | WRY_KIND_REPLY, 200 * MS));
    while (wire->last.seq != wire->seq && wire->last.kind != 0);
    CHECK(wry_message_get_progress(&wire->last, &progress));
    return progress;
}

void frames_finish(struct frames *wire)
{
    rig_free(wire->rig);
}
