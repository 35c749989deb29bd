/* Entering loading mode, and finding a lost board again. */
#include "session_inner.h"
#include "wire/frame_codec.h"

#include "bytes/memory.h"

enum {
    ATTEMPTS = 3,     /* attempts to enter loading mode */
    HELLO_TRIES = 6,  /* hellos after each attempt */
    RESET_EVERY = 12, /* calls after which a lost board is reset into loading mode */
};

#define CALL_TIME (60 * 1000 * US_PER_MS)
#define PATIENCE (10 * 1000 * US_PER_MS)
#define REOPEN_PAUSE (100 * US_PER_MS)
#define RESET_TIME (50 * US_PER_MS)
#define STRAP_TIME                                                                                 \
    (60 * US_PER_MS) /* us from the release of reset until the ROM has sampled the strap */

void wry_session_init(struct wry_session *session, const struct wry_port *port,
                      const struct wry_session_config *config)
{
    memset(session, 0, sizeof *session);
    session->port = port;
    session->config = *config;
    session->seq = (uint16_t)(config->token ^ config->token >> 16);
    if (session->config.start_speed == 0)
        session->config.start_speed = WRY_STARTING_SPEED;
    session->speed = session->config.start_speed;
    session->speed_bound = config->max_speed > 0 ? config->max_speed : UINT32_MAX;
    if (config->likely_speed > 0 && config->likely_speed < session->speed_bound)
        session->speed_bound = config->likely_speed;
    session_pace_begin(session);
    frame_decoder_init(&session->decoder, session->body, sizeof session->body);
}

/* Sets the lines and waits until they have taken effect. */
static enum wry_status hold_lines(struct wry_session *session, bool reset, bool boot, uint64_t time)
{
    if (session->port->set_lines(session->port->context, reset, boot) == WRY_OK)
        return session_pause(session, session_now(session) + time);
    session->port_failed = true;
    return session_fail(session, WRY_LINK_LOST, WRY_STEP_CONNECT, 0);
}

/* Holds the strap until after the end of reset and then releases it, even if the caller asks to
 * stop. */
static enum wry_status enter_loading_mode(struct wry_session *session)
{
    enum wry_status status = session_set_port_speed(session, session->config.start_speed);

    if (status != WRY_OK)
        return status;
    status = hold_lines(session, true, true, RESET_TIME);
    if (status == WRY_OK)
        status = hold_lines(session, false, true, STRAP_TIME);
    enum wry_status released = hold_lines(session, false, false, 0);
    return status == WRY_OK ? released : status;
}

static uint64_t patience(const struct wry_session *session)
{
    return session->config.patience > 0 ? session->config.patience : PATIENCE;
}

static bool is_silence(enum wry_status status)
{
    return status == WRY_LINK_LOST || status == WRY_NO_ANSWER;
}

/* Reopens a port that has failed; WRY_LINK_LOST if it is not back yet. */
static enum wry_status reopen(struct wry_session *session)
{
    const struct wry_port *port = session->port;

    if (!session->port_failed)
        return WRY_OK;
    if (!port->reopen)
        return WRY_LINK_LOST;
    if (port->reopen(port->context) != WRY_OK) {
        enum wry_status status = session_pause(session, session_now(session) + REOPEN_PAUSE);
        return status == WRY_OK ? WRY_LINK_LOST : status;
    }
    session->port_failed = false;
    return WRY_OK;
}

/* Waits for a lost port. An adapter takes seconds to come back, and so does a board that is its own
 * adapter and leaves the bus at each reset. */
static enum wry_status await_port(struct wry_session *session, uint64_t until)
{
    enum wry_status status = reopen(session);

    while (status == WRY_LINK_LOST && session->port->reopen && session_now(session) < until)
        status = reopen(session);
    return status == WRY_LINK_LOST ? session_fail(session, WRY_PORT_GONE, WRY_STEP_CONNECT, 0)
                                   : status;
}

/* Calls once at the starting speed, reopening the port if necessary. */
static enum wry_status call_once(struct wry_session *session, uint64_t until)
{
    enum wry_status status = await_port(session, until);

    if (status == WRY_OK)
        status = session_set_port_speed(session, session->config.start_speed);
    return status == WRY_OK ? session_hello(session, 1) : status;
}

/* Somebody presses the buttons: calls until the board answers. */
static enum wry_status call_by_hand(struct wry_session *session)
{
    uint64_t time = session->config.call_time > 0 ? session->config.call_time : CALL_TIME;
    uint64_t begun = session_now(session), passed = 0;
    bool first = true;
    enum wry_status status;

    do {
        status = session_report(session, WRY_STEP_CONNECT, 0, passed, time);
        if (status == WRY_OK)
            status = first || session->port_failed ? call_once(session, begun + time)
                                                   : session_hello(session, 1);
        first = false;
        passed = session_now(session) - begun;
    } while (is_silence(status) && passed < time);
    return status;
}

/* Resets by the control lines and calls. A reset may make the port disappear; the call then waits
 * for it. */
static enum wry_status call_by_lines(struct wry_session *session)
{
    unsigned attempts = session->config.attempts > 0 ? session->config.attempts : ATTEMPTS;
    unsigned resets = 0;
    /* The board may still be in loading mode from an earlier session. */
    enum wry_status status = call_once(session, session_now(session) + patience(session));

    for (unsigned i = 0; is_silence(status) && i < 2 * attempts; i++) {
        if (!session->port_failed && resets == attempts)
            break;
        status = session_report(session, WRY_STEP_CONNECT, 0, resets, attempts);
        if (status != WRY_OK)
            break;
        if (session->port_failed) {
            status = call_once(session, session_now(session) + patience(session));
            continue;
        }
        resets++;
        status = enter_loading_mode(session);
        if (status == WRY_OK)
            status = session_hello(session, HELLO_TRIES);
    }
    return status;
}

enum wry_status wry_session_connect(struct wry_session *session)
{
    session_begin_call(session);
    if (session->config.max_speed > 0 && session->config.max_speed < WRY_SLOWEST_SPEED)
        return session_fail(session, WRY_BAD_ARGUMENT, WRY_STEP_CONNECT, 0);
    enum wry_status status =
        session->config.by_hand ? call_by_hand(session) : call_by_lines(session);

    if (is_silence(status))
        return session_fail(session, session->port_failed ? WRY_PORT_GONE : WRY_NO_ANSWER,
                            WRY_STEP_CONNECT, 0);
    if (status == WRY_OK)
        status = session_climb(session);
    if (session_may_recover(session, status))
        status = session_recover(session, WRY_STEP_CONNECT);
    session->bad_at_first = session->stats.frames_bad;
    return status;
}

/* Calls a lost board at every speed at which it may be listening, and now and then after a
 * reset. */
static enum wry_status call_again(struct wry_session *session, uint32_t speed, unsigned i)
{
    uint32_t start = session->config.start_speed;
    uint32_t tried = session->speed_tried > 0 ? session->speed_tried : start;
    const uint32_t candidates[] = {speed, start, tried, start};
    enum wry_status status;

    if (i % RESET_EVERY != RESET_EVERY - 1 || session->config.by_hand)
        return session_call_at(session, candidates[i % 4], 2);
    status = enter_loading_mode(session);
    return status == WRY_OK ? session_hello(session, 2) : status;
}

bool session_may_recover(const struct wry_session *session, enum wry_status status)
{
    return status == WRY_LINK_LOST && session->fault.expected == 0;
}

enum wry_status session_recover(struct wry_session *session, enum wry_step step)
{
    uint64_t until = session_now(session) + patience(session);
    uint32_t speed = session->speed;

    for (unsigned i = 0; session_now(session) < until; i++) {
        enum wry_status status = session_report_loss(session, step);
        if (status != WRY_OK)
            return status;
        if (session->port_failed && !session->port->reopen)
            break;
        status = reopen(session);
        if (status == WRY_OK)
            status = call_again(session, speed, i);
        if (status == WRY_OK) {
            session->stats.reconnects++;
            session->stats.restarts += !session->continued;
            session_advanced(session);
            status = session->speed == speed ? WRY_OK : session_climb(session);
            if (status == WRY_OK)
                return status;
        }
        if (!is_silence(status))
            return status;
    }
    return session_fail(session, session->port_failed ? WRY_PORT_GONE : WRY_LINK_LOST, step, 0);
}

enum wry_status wry_session_start(struct wry_session *session)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    /* Before the start, switches to the speed at which its firmware probably prints: then its first
     * output is not lost, however long the latency of the port. If that fails, it starts anyway. */
    if (session->connected && session->speed > WRY_STARTING_SPEED &&
        session->speed != session->config.start_speed)
        session_change_speed(session, WRY_STARTING_SPEED);
    size_t n = wry_message_put_bare(head, WRY_KIND_START, session_next_seq(session));
    enum wry_status status = session_exchange_start(session, head, n, HELLO_TRIES);
    if (status == WRY_OK || status == WRY_STOPPED)
        session->connected = false;
    else
        session->fault.step = WRY_STEP_START;
    return status;
}
