/* Negotiation of the speed. Trying a speed that is too high costs a second, but never the job. */
#include "session_inner.h"

static const uint32_t speeds[] = {3000000, 2000000, 1500000, 921600, 460800, 230400, 115200};

enum {
    TRIES = 2,
    TRIES_SLOW = 3, /* tries at the slowest speed */
    SLOWEST_TRIALS = 4,
    CALLS_BACK = 24,
    NONSENSE = 16, /* bytes outside frames that single damaged frames do not explain */
    STEP_BACKS = 2,
    CALL_SIZE = 64, /* most bytes of a hello, or of its answer, on the line */
    BITS_PER_BYTE = 10,
    CONFIRM_MOST = 2000, /* longest wait for the confirmation, in ms */
    CONFIRM_USUAL = 400, /* ms: the fixed time of older boards */
};

#define SWITCH_TIME (10 * US_PER_MS)
/* us after a failed trial until the board listens at the starting speed. */
#define FALL_BACK_TIME (50 * US_PER_MS)

static uint32_t least(uint32_t a, uint32_t b)
{
    return a < b ? a : b;
}

/* The lowest speed to go down to. */
static uint32_t slowest(const struct wry_session *session)
{
    return least(session->config.start_speed, WRY_STARTING_SPEED);
}

/* The highest speed to try at or below the bound; the bound itself if it was requested. The speed
 * of the first call works, whatever it is: a board whose clock is off has no other. */
static uint32_t fastest(const struct wry_session *session, uint32_t bound)
{
    uint32_t able = least(session->board.top_speed, session->port->top_speed);
    uint32_t start = session->config.start_speed;

    if (bound <= able && bound == session->config.max_speed)
        return bound;
    for (size_t i = 0; i < sizeof speeds / sizeof speeds[0]; i++) {
        if (speeds[i] < start && start <= bound)
            return start;
        if (speeds[i] <= able && speeds[i] <= bound)
            return speeds[i];
    }
    return slowest(session);
}

static unsigned tries_at(uint32_t baud)
{
    return baud <= WRY_STARTING_SPEED ? TRIES_SLOW : TRIES;
}

/* True if the board keeps a new speed only after it knows that it was heard. */
static bool takes_proof(const struct wry_session *session)
{
    return (session->board.features & WRY_FEATURE_PROOF) != 0;
}

/* Time in ms for the calls at the new speed and the proof that follows. */
static uint16_t confirm_time(const struct wry_session *session, uint32_t baud)
{
    uint32_t call =
        (uint32_t)(session_answer_deadline(session, CALL_SIZE) - session_now(session)) / 1000u;
    uint32_t line = 2 * CALL_SIZE * BITS_PER_BYTE * 1000u / baud;
    uint32_t ms = (call + 1 + line) * (tries_at(baud) + 1);

    if (!takes_proof(session))
        return CONFIRM_USUAL;
    return (uint16_t)least(ms, CONFIRM_MOST);
}

static size_t put_speed(struct wry_session *session, uint8_t *head, uint32_t baud, uint16_t confirm)
{
    struct wry_speed_message speed = {
        .baud = baud, .confirm_ms = confirm, .prove = takes_proof(session)};

    return wry_message_put_speed(head, WRY_KIND_SPEED, session_next_seq(session), &speed);
}

static enum wry_status ask_for_speed(struct wry_session *session, uint32_t baud, uint16_t confirm)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_message reply;
    size_t n = put_speed(session, head, baud, confirm);

    return session_exchange(session, head, n, 1, &reply);
}

enum wry_status session_call_at(struct wry_session *session, uint32_t baud, unsigned tries)
{
    enum wry_status status = session_set_port_speed(session, baud);

    if (status == WRY_OK)
        status = session_hello(session, tries);
    if (status == WRY_OK && takes_proof(session) && baud != session->config.start_speed)
        status = session_hello_heard(session, tries);
    return status;
}

static bool is_silent(const struct wry_session *session, enum wry_status status)
{
    return (status == WRY_LINK_LOST || status == WRY_NO_ANSWER) && !session->port_failed;
}

/* Sends back a board that hears us but is not heard. */
static enum wry_status send_back(struct wry_session *session, uint32_t baud)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    enum wry_status status = session_set_port_speed(session, baud);

    for (unsigned i = 0; i < STEP_BACKS && status == WRY_OK; i++) {
        size_t n = put_speed(session, head, WRY_STARTING_SPEED, 0);
        status = session_send(session, head, n, NULL, 0);
        /* It sends its answer before it changes. */
        if (status == WRY_OK)
            status = session_pause(session, session->line_free_at + SWITCH_TIME);
    }
    return status;
}

/*
 * Finds the board after a failed trial: back at the starting speed, still at the old speed because
 * the request was lost, or at the new speed without being heard. The last is tried only if the port
 * can do it.
 */
static enum wry_status find_after_trial(struct wry_session *session, uint32_t old, uint32_t baud,
                                        bool able)
{
    const uint32_t candidates[] = {session->config.start_speed, old, baud};
    enum wry_status status = WRY_NO_ANSWER;

    for (unsigned i = 0; i < CALLS_BACK && is_silent(session, status); i++) {
        uint32_t candidate = candidates[i % 3];
        bool asked = i % 3 == 1 && old == session->config.start_speed;
        if (!asked && (candidate != baud || able))
            status = session_call_at(session, candidate, tries_at(candidate));
        if (status == WRY_OK)
            return candidate == baud ? WRY_OK : WRY_NO_ANSWER;
        if (candidate == baud && able && is_silent(session, status))
            status = send_back(session, baud) == WRY_OK ? WRY_NO_ANSWER : session->fault.status;
    }
    return status;
}

/* WRY_NO_ANSWER: the speed does not work, or the request was lost. */
static enum wry_status try_speed(struct wry_session *session, uint32_t baud)
{
    uint32_t old = session->speed;
    uint16_t confirm = confirm_time(session, baud);
    /* Continues without a reply: it may be lost although the board has changed. */
    enum wry_status status = ask_for_speed(session, baud, confirm);

    if (status != WRY_OK && !is_silent(session, status))
        return status;
    uint64_t switched = session_now(session);
    session->speed_tried = baud;
    status = session_pause(session, switched + SWITCH_TIME);
    if (status == WRY_OK)
        status = session_call_at(session, baud, tries_at(baud));
    bool able = status != WRY_UNSUPPORTED;
    if (able && !is_silent(session, status))
        return status;
    status = session_pause(session, switched + confirm * US_PER_MS + FALL_BACK_TIME);
    if (status == WRY_OK)
        status = find_after_trial(session, old, baud, able);
    return status == WRY_NO_ANSWER && !able ? WRY_UNSUPPORTED : status;
}

/* Asked first: otherwise the board would change alone. */
static bool port_can(const struct wry_session *session, uint32_t baud)
{
    const struct wry_port *port = session->port;

    return baud <= WRY_STARTING_SPEED || !port->can_speed || port->can_speed(port->context, baud);
}

static bool is_failure(enum wry_status status)
{
    return status == WRY_NO_ANSWER || status == WRY_UNSUPPORTED;
}

/* Goes down to the highest speed that works. *doubted: the one above it, if nothing was heard
 * there. */
static enum wry_status descend(struct wry_session *session, uint32_t *doubted)
{
    *doubted = 0;
    for (;;) {
        uint32_t baud = fastest(session, session->speed_bound);
        uint32_t outside = session->stats.bytes_outside;
        if (baud == session->speed)
            return WRY_OK;
        if (!port_can(session, baud)) {
            session->speed_bound = baud - 1;
            continue;
        }
        enum wry_status status = try_speed(session, baud);
        /* At the slowest speed, tries again. */
        for (unsigned i = 1; i < SLOWEST_TRIALS && baud <= slowest(session); i++) {
            if (status == WRY_NO_ANSWER)
                status = try_speed(session, baud);
        }
        if (!is_failure(status) || baud <= slowest(session))
            return status;
        bool proved =
            status == WRY_UNSUPPORTED || session->stats.bytes_outside >= outside + NONSENSE;
        *doubted = proved ? 0 : baud;
        session->speed_bound = baud - 1;
        session->stats.speed_steps_down++;
    }
}

/*
 * Garbage proves that a speed is too high. Silence may have another cause, such as a busy computer
 * that answered too late: such a speed is tried once more after the next one works, and so is the
 * one that falls silent on the way back down from there.
 */
enum wry_status session_climb(struct wry_session *session)
{
    uint32_t retried = UINT32_MAX;
    uint32_t doubted;

    for (;;) {
        enum wry_status status = descend(session, &doubted);
        if (status != WRY_OK || doubted == 0 || doubted >= retried)
            return status;
        status = try_speed(session, doubted);
        if (status == WRY_OK) {
            session->speed_bound = doubted;
            session->stats.speed_steps_down--;
        }
        if (!is_failure(status))
            return status;
        retried = doubted;
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
        ask_for_speed(session, WRY_STARTING_SPEED, 0);
}
