/* Agreeing on a speed. A speed that is too fast costs a second, never the job. */
#include "inner.h"

static const uint32_t speeds[] = {3000000, 2000000, 1500000, 921600, 460800, 230400, 115200};

enum {
    TRIES = 3,
    CALLS_BACK = 24,
    NONSENSE = 16, /* bytes outside frames that damage to single frames does not explain */
};

#define SWITCH_TIME (10 * US_PER_MS)
/* The board gives an unconfirmed speed up after 400 ms. */
#define FALL_BACK_TIME (450 * US_PER_MS)
/* Another program may keep the computer from answering in time: silence is no proof yet. */
#define TRIALS 2

static uint32_t least(uint32_t a, uint32_t b)
{
    return a < b ? a : b;
}

/* The fastest speed worth trying at or below the bound: the bound itself where it was asked for. */
static uint32_t fastest(const struct wry_session *session, uint32_t bound)
{
    uint32_t able = least(session->board.top_speed, session->port->top_speed);

    if (bound <= able && bound == session->config.max_speed)
        return bound;
    for (size_t i = 0; i < sizeof speeds / sizeof speeds[0]; i++) {
        if (speeds[i] <= able && speeds[i] <= bound)
            return speeds[i];
    }
    return WRY_STARTING_SPEED;
}

static enum wry_status ask_for_speed(struct wry_session *session, uint32_t baud)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_message reply;
    size_t n = wry_message_put_speed(head, WRY_KIND_SPEED, session_next_seq(session), baud);

    return session_exchange(session, head, n, 1, &reply);
}

static enum wry_status call_at(struct wry_session *session, uint32_t baud, unsigned tries)
{
    enum wry_status status = session_set_port_speed(session, baud);

    return status == WRY_OK ? session_hello(session, tries) : status;
}

static bool is_silent(const struct wry_session *session, enum wry_status status)
{
    return (status == WRY_LINK_LOST || status == WRY_NO_ANSWER) && !session->port_failed;
}

/*
 * Where the board is after a trial that failed: back at the starting speed, still at the old one
 * because the request was lost, or at the new one, where it heard us and we did not hear it.
 */
static enum wry_status find_after_trial(struct wry_session *session, uint32_t old, uint32_t baud)
{
    const uint32_t candidates[] = {session->config.start_speed, old, baud};
    enum wry_status status = WRY_NO_ANSWER;

    for (unsigned i = 0; i < CALLS_BACK && is_silent(session, status); i++) {
        uint32_t candidate = candidates[i % 3];
        if (i % 3 != 1 || old != session->config.start_speed)
            status = call_at(session, candidate, TRIES);
        if (status == WRY_OK)
            return candidate == baud ? WRY_OK : WRY_NO_ANSWER;
    }
    return status;
}

/* WRY_NO_ANSWER: the speed does not work, or the request for it was lost. */
static enum wry_status try_speed(struct wry_session *session, uint32_t baud)
{
    uint32_t old = session->speed;
    /* The reply may get lost on the way after the board has switched, so go on in any case. */
    enum wry_status status = ask_for_speed(session, baud);

    if (status != WRY_OK && !is_silent(session, status))
        return status;
    uint64_t switched = session_now(session);
    session->speed_tried = baud;
    status = session_pause(session, switched + SWITCH_TIME);
    if (status == WRY_OK)
        status = call_at(session, baud, TRIES);
    if (!is_silent(session, status))
        return status;
    status = session_pause(session, switched + FALL_BACK_TIME);
    return status == WRY_OK ? find_after_trial(session, old, baud) : status;
}

enum wry_status session_climb(struct wry_session *session)
{
    unsigned trials = 0;

    for (;;) {
        uint32_t baud = fastest(session, session->speed_bound);
        uint32_t outside = session->stats.bytes_outside;
        if (baud == session->speed)
            return WRY_OK;
        enum wry_status status = try_speed(session, baud);
        if (status != WRY_NO_ANSWER && status != WRY_UNSUPPORTED)
            return status;
        /* Nonsense proves that the speed is too fast; silence has to be seen twice. */
        bool proved =
            status == WRY_UNSUPPORTED || session->stats.bytes_outside >= outside + NONSENSE;
        if (!proved && ++trials < TRIALS)
            continue;
        if (baud <= WRY_STARTING_SPEED)
            return status;
        trials = 0;
        session->speed_bound = baud - 1;
        session->stats.speed_steps_down++;
    }
}

uint32_t session_slower_speed(const struct wry_session *session)
{
    uint32_t slower =
        session->speed > WRY_STARTING_SPEED ? fastest(session, session->speed - 1) : 0;

    return slower < session->speed ? slower : 0;
}

enum wry_status session_change_speed(struct wry_session *session, uint32_t bound)
{
    session->speed_bound = bound;
    return session_climb(session);
}

void wry_session_leave(struct wry_session *session)
{
    session->ending = true;
    if (session->speed != WRY_STARTING_SPEED)
        ask_for_speed(session, WRY_STARTING_SPEED);
}
