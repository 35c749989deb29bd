/*
 * Time: deadlines, and waits that the caller can end. Deadlines depend on the line: on what must
 * pass at the current speed, and on the latency measured so far. Every wait is done in slices, with
 * progress reports in between.
 */
#include "session_inner.h"

#define HANDLING (40 * US_PER_MS) /* us for a busy board or computer */
#define FIRST_LATENCY                                                                              \
    (80 * US_PER_MS) /* us assumed before one is measured: adapters delay input                    \
                      */
#define MOST_LATENCY (1000 * US_PER_MS)
#define SLICE (100 * US_PER_MS)
#define STALL_TIME (15 * 1000 * US_PER_MS)
#define SILENT_TIME (5 * 1000 * US_PER_MS)

enum {
    BITS_PER_BYTE = 10,
    STALL_FRAMES = 8,  /* longest frames that may be lost in a row on a slow line */
    SILENT_FRAMES = 2, /* longest frames of silence after which such a line is dead */
};

uint64_t session_now(const struct wry_session *session)
{
    return session->port->now(session->port->context);
}

uint64_t session_line_time(const struct wry_session *session, size_t bytes)
{
    /* In 1/64 us per byte, to avoid a 64-bit division. */
    uint32_t byte = BITS_PER_BYTE * UINT32_C(64000000) / session->speed;

    return (uint64_t)bytes * byte >> 6;
}

uint64_t session_latency(const struct wry_session *session)
{
    return session->latency > 0 ? session->latency : FIRST_LATENCY;
}

uint64_t session_gap(const struct wry_session *session)
{
    /* An adapter delivers 62 bytes at a time, or fewer after its latency. */
    return HANDLING + session_latency(session) + session_line_time(session, 64);
}

uint64_t session_answer_deadline(const struct wry_session *session, size_t bytes)
{
    uint64_t now = session_now(session);
    uint64_t left = session->line_free_at > now ? session->line_free_at : now;

    return left + HANDLING + session_latency(session) * 5 / 4 + session_line_time(session, bytes);
}

void session_note_latency(struct wry_session *session, uint64_t asked, size_t bytes, unsigned tries)
{
    uint64_t now = session_now(session);
    uint64_t due = asked + session_line_time(session, bytes);
    uint64_t late = now > due ? now - due : 0;
    uint64_t seen = (uint32_t)(late < MOST_LATENCY ? late : MOST_LATENCY) / tries;
    uint64_t settled = (session_latency(session) * 7 + seen) / 8;

    if (tries == 1 && (session->latency_least == 0 || seen < session->latency_least))
        session->latency_least = seen;
    session->latency = seen > settled ? seen : settled;
    if (session->latency > MOST_LATENCY)
        session->latency = MOST_LATENCY;
}

static enum wry_status tell(struct wry_session *session)
{
    session->told_at = session_now(session);
    session->told.speed = session->speed;
    if (session->ending || !session->config.progress ||
        !session->config.progress(session->config.context, &session->told))
        return WRY_OK;
    session->ending = session->stopped = true;
    return session_fail(session, WRY_STOPPED, session->told.step, session->told.offset);
}

enum wry_status session_report(struct wry_session *session, enum wry_step step, uint32_t offset,
                               uint64_t done, uint64_t total)
{
    session->told =
        (struct wry_session_progress){.step = step, .offset = offset, .done = done, .total = total};
    if (step == WRY_STEP_WRITE && total > done)
        session->told.expected = (total - done) / WRY_SECTOR_SIZE * session->sector_time;
    return tell(session);
}

enum wry_status session_report_loss(struct wry_session *session, enum wry_step step)
{
    session->told = (struct wry_session_progress){.step = step, .lost = true};
    return tell(session);
}

enum wry_status session_heartbeat(struct wry_session *session)
{
    return session_now(session) >= session->told_at + SLICE ? tell(session) : WRY_OK;
}

uint64_t session_slice(const struct wry_session *session, uint64_t deadline)
{
    uint64_t end = session_now(session) + SLICE;

    return end < deadline ? end : deadline;
}

enum wry_status session_pause(struct wry_session *session, uint64_t until)
{
    enum wry_status status = session_heartbeat(session);

    while (status == WRY_OK && session_now(session) < until) {
        uint64_t begun = session_now(session);
        session->port->sleep(session->port->context, session_slice(session, until));
        session->waited += session_now(session) - begun;
        status = session_heartbeat(session);
    }
    return status;
}

void session_begin_call(struct wry_session *session)
{
    session->ending = session->stopped = false;
    session->told = (struct wry_session_progress){0};
    session->told_at = session_now(session);
    session_advanced(session);
}

void session_advanced(struct wry_session *session)
{
    session->advanced_at = session->waited;
    session->bad_at_advance = session->stats.frames_bad;
}

/*
 * Only time spent in the port counts: the caller's encoding, hashing or storing is not the board's
 * fault. If nothing or only damaged frames arrived, the line is to blame; a board that answers
 * without advancing is stalled.
 */
enum wry_status session_check_advance(struct wry_session *session, enum wry_step step,
                                      uint32_t offset)
{
    uint64_t longest = session_line_time(session, WRY_FRAME_WORST(WRY_BODY_MAX));
    uint32_t bad = session->stats.frames_bad - session->bad_at_advance;

    if (session->waited < session->advanced_at + STALL_TIME + STALL_FRAMES * longest)
        return WRY_OK;
    bool silent = session->waited >= session->frame_at + SILENT_TIME + SILENT_FRAMES * longest;
    session_fail(session, silent || bad > 0 ? WRY_LINK_LOST : WRY_STALLED, step, offset);
    if (!silent)
        session->fault.expected = session->fault.found = bad;
    return session->fault.status;
}
