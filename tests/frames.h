/*
 * Frames to and from a simulated board's loader, without a session.
 *
 *     struct frames wire;
 *     frames_begin(&wire, &(struct rig_setup){.seed = 1});
 *     frames_hello(&wire, 1);
 *     frames_range(&wire, WRY_KIND_ERASE, 0, 0x4000, 0x1000);
 *     frames_finish(&wire);
 */
#ifndef WRY_TESTS_FRAMES_H
#define WRY_TESTS_FRAMES_H

#include "rig.h"
#include "wrytograph/frame.h"
#include "wrytograph/message.h"

#define MS UINT64_C(1000) /* in us */

struct frames {
    struct rig *rig;
    struct wry_decoder decoder;
    uint8_t body[WRY_BODY_MAX + WRY_FRAME_FCS_SIZE];
    struct wry_message last;
    uint16_t seq;
};

void frames_begin(struct frames *wire, const struct rig_setup *setup);
void frames_say(struct frames *wire, const uint8_t *head, size_t n, const uint8_t *payload,
                size_t m);
/* The next frame within the time (us); false when none comes. */
bool frames_hear(struct frames *wire, uint64_t time);
bool frames_hear_kind(struct frames *wire, uint8_t kind, uint64_t time);
void frames_hello(struct frames *wire, uint32_t token);
void frames_range(struct frames *wire, uint8_t kind, uint8_t flags, uint32_t offset,
                  uint32_t length);
void frames_data(struct frames *wire, uint32_t offset, const uint8_t *bytes, uint32_t length);
void frames_expect_error(struct frames *wire, uint8_t code);
struct wry_progress_message frames_ask_status(struct frames *wire);
void frames_finish(struct frames *wire);

#endif
