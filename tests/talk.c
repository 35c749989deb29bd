/* Talking to a loader frame by frame. */
#include "talk.h"
#include "core/wire/frame_codec.h"

#include <string.h>

#include "harness.h"

void talk_begin(struct talk *talk, const struct rig_setup *setup)
{
    memset(talk, 0, sizeof *talk);
    talk->rig = rig_new(setup);
    const struct wry_port *port = &talk->rig->adapter.port;
    port->set_lines(port->context, true, true);
    port->set_lines(port->context, false, true);
    port->sleep(port->context, 100 * MS);
    port->discard(port->context);
    frame_decoder_init(&talk->decoder, talk->body, sizeof talk->body);
}

void talk_say(struct talk *talk, const uint8_t *head, size_t n, const uint8_t *payload, size_t m)
{
    uint8_t line[WRY_FRAME_WORST(WRY_BODY_MAX)];
    struct wry_encoder encoder;
    const struct wry_port *port = &talk->rig->adapter.port;

    frame_encoder_init(&encoder, head, n, payload, m);
    size_t length = frame_encoder_give(&encoder, line, sizeof line);
    port->write(port->context, line, length);
}

/* The next frame within the time (us); false when none comes. */
bool talk_hear(struct talk *talk, uint64_t time)
{
    const struct wry_port *port = &talk->rig->adapter.port;
    uint64_t deadline = port->now(port->context) + time;
    enum wry_frame_event event;
    uint8_t byte;
    size_t got;

    for (;;) {
        port->read(port->context, &byte, 1, deadline, &got);
        if (got == 0)
            return false;
        frame_decoder_take(&talk->decoder, &byte, 1, &event);
        if (event == WRY_FRAME_GOOD)
            return wry_message_split(&talk->last, talk->body, talk->decoder.length);
    }
}

bool talk_hear_kind(struct talk *talk, uint8_t kind, uint64_t time)
{
    while (talk_hear(talk, time)) {
        if (talk->last.kind == kind)
            return true;
    }
    return false;
}

void talk_hello(struct talk *talk, uint32_t token)
{
    struct wry_hello_message hello = {.token = token, .version_min = 1, .version_max = 1};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    talk_say(talk, head, wry_message_put_hello(head, ++talk->seq, &hello), NULL, 0);
    CHECK(talk_hear_kind(talk, WRY_KIND_HELLO | WRY_KIND_REPLY, 100 * MS));
}

void talk_range(struct talk *talk, uint8_t kind, uint8_t flags, uint32_t offset, uint32_t length)
{
    struct wry_range_message range = {.offset = offset, .length = length};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    talk_say(talk, head, wry_message_put_range(head, kind, flags, ++talk->seq, &range), NULL, 0);
}

void talk_data(struct talk *talk, uint32_t offset, const uint8_t *bytes, uint32_t length)
{
    struct wry_data_message data = {.offset = offset, .length = length};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    size_t n = wry_message_put_data(head, WRY_KIND_DATA, ++talk->seq, &data);
    talk_say(talk, head, n, bytes, length);
}

void talk_expect_error(struct talk *talk, uint8_t code)
{
    struct wry_error_message error = {0};

    CHECK(talk_hear_kind(talk, WRY_KIND_ERROR, 200 * MS));
    CHECK(wry_message_get_error(&talk->last, &error));
    CHECK_EQUAL(code, error.code);
}

struct wry_progress_message talk_ask_status(struct talk *talk)
{
    struct wry_progress_message progress = {0};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    talk_say(talk, head, wry_message_put_bare(head, WRY_KIND_STATUS, ++talk->seq), NULL, 0);
    do
        CHECK(talk_hear_kind(talk, WRY_KIND_STATUS | WRY_KIND_REPLY, 200 * MS));
    while (talk->last.seq != talk->seq && talk->last.kind != 0);
    CHECK(wry_message_get_progress(&talk->last, &progress));
    return progress;
}

void talk_finish(struct talk *talk)
{
    rig_free(talk->rig);
}
