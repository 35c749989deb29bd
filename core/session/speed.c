/* Agreeing on a speed. A speed that is too fast costs a second, never the job. */
#include "inner.h"

static const uint32_t speeds[] = {3000000, 2000000, 1500000, 921600, 460800, 230400, 115200};

enum {
    TRIES = 3,
    TRIES_BACK = 8,
};

#define SWITCH_TIME (10 * US_PER_MS)
/* The board gives an unconfirmed speed up after 400 ms. */
#define FALL_BACK_TIME (450 * US_PER_MS)

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

    return session_exchange(session, head, n, WRY_KIND_SPEED | WRY_KIND_REPLY, TRIES, &reply);
}

/* WRY_NO_ANSWER: the speed does not work, and the board has gone back to the starting speed. */
static enum wry_status try_speed(struct wry_session *session, uint32_t baud)
{
    /* The reply may get lost on the way after the board has switched, so go on in any case. */
    enum wry_status status = ask_for_speed(session, baud);

    if (status != WRY_OK && status != WRY_LINK_LOST)
        return status;
    session->port->sleep(session->port->context, session_now(session) + SWITCH_TIME);
    status = session_set_port_speed(session, baud);
    if (status == WRY_OK)
        status = session_hello(session, TRIES);
    if (status != WRY_LINK_LOST && status != WRY_NO_ANSWER)
        return status;
    session->port->sleep(session->port->context, session_now(session) + FALL_BACK_TIME);
    status = session_set_port_speed(session, session->config.start_speed);
    if (status == WRY_OK)
        status = session_hello(session, TRIES_BACK);
    return status == WRY_OK ? WRY_NO_ANSWER : status;
}

enum wry_status session_climb(struct wry_session *session)
{
    for (;;) {
        uint32_t baud = fastest(session, session->speed_bound);
        if (baud == session->speed)
            return WRY_OK;
        enum wry_status status = try_speed(session, baud);
        if (status == WRY_UNSUPPORTED)
            status = WRY_NO_ANSWER;
        if (status != WRY_NO_ANSWER || baud <= WRY_STARTING_SPEED)
            return status;
        session->speed_bound = baud - 1;
        session->stats.speed_steps_down++;
    }
}

enum wry_status session_step_down(struct wry_session *session)
{
    if (session->speed <= WRY_STARTING_SPEED)
        return WRY_OK;
    session->speed_bound = session->speed - 1;
    session->stats.speed_steps_down++;
    return session_climb(session);
}

void wry_session_leave(struct wry_session *session)
{
    if (session->speed != WRY_STARTING_SPEED)
        ask_for_speed(session, WRY_STARTING_SPEED);
}
