/*
 * Rate control: chooses the length of data frames and the speed by the number of lost frames.
 *
 * A frame costs a fixed overhead, and one bit error loses all of it. So frames are shortened where
 * losses cost more than the overhead of twice as many frames, and lengthened where they cost less.
 * A lower speed is tried only when most of the shortest frames are lost, and only if it promises a
 * higher throughput. If it turns out no better, the losses have another cause, and the session
 * returns to the old speed.
 */
#include "session_inner.h"

#define LONGEST_TIME (600 * US_PER_MS) /* longest time of a frame's content on the line */

enum {
    OVERHEAD = 18,        /* bytes of header, FCS and flags of a data frame */
    ENOUGH_TO_SHRINK = 3, /* frames before a decision */
    ENOUGH_TO_GROW = 64,
    ENOUGH_AT_FIRST = 8, /* frames before the first decision */
    FIRST_PAYLOAD = 512,
    ENOUGH_FOR_SPEED = 128,
    HOPELESS_PERCENT = 98, /* loss of the shortest frames from which the line counts as dead */
};

void session_pace_begin(struct wry_session *session)
{
    session->pace = (struct wry_session_pace){.payload = FIRST_PAYLOAD, .untried = true};
}

bool session_line_is_clean(const struct wry_session *session)
{
    return session->pace.untried && session->stats.frames_bad == session->bad_at_first;
}

static void set_payload(struct wry_session_pace *pace, uint32_t payload)
{
    pace->payload = payload < WRY_PAGE_SIZE ? WRY_PAGE_SIZE : payload;
    pace->frames = pace->lost = 0;
}

/* A frame must not take seconds: everything after it waits, and an error loses all of it. */
static uint32_t longest(const struct wry_session *session)
{
    uint32_t most = WRY_PAYLOAD_MAX;

    while (most > WRY_PAGE_SIZE && session_line_time(session, most) > LONGEST_TIME)
        most /= 2;
    return most;
}

uint32_t session_frame_max(const struct wry_session *session)
{
    uint32_t most = longest(session);

    if (session->board.payload_max < most)
        most = session->board.payload_max;
    return session->pace.payload < most ? session->pace.payload : most;
}

void session_pace_note(struct wry_session *session, uint32_t frames, uint32_t lost)
{
    struct wry_session_pace *pace = &session->pace;
    uint32_t payload = session_frame_max(session);

    pace->frames += frames;
    pace->lost += lost;
    pace->untried = pace->untried && lost == 0;
    uint32_t enough = pace->untried ? ENOUGH_AT_FIRST : ENOUGH_TO_GROW;
    if (payload == WRY_PAGE_SIZE) {
        pace->short_frames += frames;
        pace->short_lost += lost;
    }
    uint64_t cost = (uint64_t)pace->lost * payload;
    if (payload > WRY_PAGE_SIZE && pace->frames >= ENOUGH_TO_SHRINK &&
        cost > (uint64_t)pace->frames * 2 * OVERHEAD) {
        bool badly = cost > (uint64_t)pace->frames * 16 * OVERHEAD;
        set_payload(pace, payload / (badly ? 4 : 2));
    } else if (payload < WRY_PAYLOAD_MAX && pace->frames >= enough &&
               cost * 2 < (uint64_t)pace->frames * OVERHEAD) {
        set_payload(pace, payload * 2);
        pace->before = 0; /* the lower speed is confirmed */
        pace->short_frames = pace->short_lost = 0;
    } else if (pace->frames >= 4 * ENOUGH_TO_GROW) {
        pace->frames = pace->lost = 0;
    }
}

/* Nearly nothing got through, twice in a row. */
static enum wry_status give_up(struct wry_session *session, enum wry_step step)
{
    struct wry_session_pace *pace = &session->pace;
    uint32_t frames = pace->short_frames, lost = pace->short_lost;

    session_fail(session, WRY_LINK_LOST, step, session->told.offset);
    session->fault.expected = frames;
    session->fault.found = lost;
    return WRY_LINK_LOST;
}

enum wry_status session_pace_judge(struct wry_session *session, enum wry_step step, bool *changed)
{
    struct wry_session_pace *pace = &session->pace;
    enum wry_status status = WRY_OK;

    *changed = false;
    if (pace->short_frames < ENOUGH_FOR_SPEED)
        return WRY_OK;
    uint32_t through = pace->short_frames - pace->short_lost;
    uint32_t yield = session->speed / 64 * through / pace->short_frames * 64;
    bool hopeless = pace->short_lost * 100 >= pace->short_frames * HOPELESS_PERCENT;
    uint32_t slower = session_slower_speed(session);
    if (pace->before > 0 && (uint64_t)yield * 10 < (uint64_t)pace->before_yield * 11) {
        pace->settled = *changed = true;
        session->stats.speed_steps_down--;
        status = session_change_speed(session, pace->before);
        pace->before = 0;
    } else if (slower > 0 && !pace->settled && (uint64_t)yield * 13 < (uint64_t)slower * 9) {
        *changed = true;
        pace->before = session->speed;
        pace->before_yield = yield;
        session->stats.speed_steps_down++;
        status = session_change_speed(session, session->speed - 1);
    } else if (hopeless && pace->doubtful) {
        status = give_up(session, step);
    } else {
        pace->doubtful = hopeless;
    }
    pace->short_frames = pace->short_lost = 0;
    /* Nothing is heard at the slowest speed either: like any lost link, it may come back. */
    return status == WRY_NO_ANSWER
               ? session_fail(session, WRY_LINK_LOST, step, session->told.offset)
               : status;
}
