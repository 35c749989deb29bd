/*
 * Talking to a simulated board's loader frame by frame, without a session.
 *
 *     struct talk talk;
 *     talk_begin(&talk, &(struct rig_setup){.seed = 1});
 *     talk_hello(&talk, 1);
 *     talk_range(&talk, WRY_KIND_ERASE, 0, 0x4000, 0x1000);
 *     talk_finish(&talk);
 */
#ifndef WRY_TESTS_TALK_H
#define WRY_TESTS_TALK_H

#include "rig.h"
#include "wrytograph/frame.h"
#include "wrytograph/message.h"

#define MS UINT64_C(1000) /* in us */

struct talk {
    struct rig *rig;
    struct wry_decoder decoder;
    uint8_t body[WRY_BODY_MAX + WRY_FRAME_FCS_SIZE];
    struct wry_message last;
    uint16_t seq;
};

void talk_begin(struct talk *talk, const struct rig_setup *setup);
void talk_say(struct talk *talk, const uint8_t *head, size_t n, const uint8_t *payload, size_t m);
/* The next frame within the time (us); false when none comes. */
bool talk_hear(struct talk *talk, uint64_t time);
bool talk_hear_kind(struct talk *talk, uint8_t kind, uint64_t time);
void talk_hello(struct talk *talk, uint32_t token);
void talk_range(struct talk *talk, uint8_t kind, uint8_t flags, uint32_t offset, uint32_t length);
void talk_data(struct talk *talk, uint32_t offset, const uint8_t *bytes, uint32_t length);
void talk_expect_error(struct talk *talk, uint8_t code);
struct wry_progress_message talk_ask_status(struct talk *talk);
void talk_finish(struct talk *talk);

#endif
