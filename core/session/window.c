/*
 * The sender's window: which pages are in flight. The line preserves order, and every progress
 * message has the sequence number of the last good frame the board received. So a page sent before
 * that number and not reported as received is lost and sent again at once; no other page is.
 */
#include "session_inner.h"

#include "bytes/memory.h"

void session_window_begin(struct wry_session_window *window, const struct wry_span *span)
{
    memset(window, 0, sizeof *window);
    window->start = window->received = window->sent = window->hashed = span->start;
    window->limit = span->start;
    window->end = window->available = span->end;
    wry_sha256_begin(&window->sha);
}

void session_window_forget(struct wry_session_window *window)
{
    memset(window->state, WRY_PAGE_UNSENT, sizeof window->state);
}

static uint32_t slot_of(uint32_t offset)
{
    return offset / WRY_PAGE_SIZE % WRY_PROGRESS_PAGES;
}

static bool fits_span(const struct wry_session *session,
                      const struct wry_progress_message *progress)
{
    const struct wry_session_window *window = &session->window;

    /* Content that was never sent cannot have arrived. */
    return progress->received >= window->start && progress->received <= window->sent &&
           progress->received % WRY_PAGE_SIZE == 0 &&
           (window->is_stream || progress->limit <= window->end) &&

           progress->limit - progress->received <= WRY_PROGRESS_PAGES * WRY_PAGE_SIZE;
}

static void note_loss(struct wry_session *session)
{
    session->stats.frames_resent++;
    session_pace_note(session, 0, 1);
}

bool session_window_note(struct wry_session *session, const struct wry_progress_message *progress)
{
    struct wry_session_window *window = &session->window;
    uint32_t lost_seq = UINT32_MAX;

    if (!fits_span(session, progress))
        return false;
    for (; window->received < progress->received; window->received += WRY_PAGE_SIZE)
        window->state[slot_of(window->received)] = WRY_PAGE_UNSENT;
    if (progress->limit > window->limit)
        window->limit = progress->limit;
    for (uint32_t at = window->received; at < window->limit; at += WRY_PAGE_SIZE) {
        uint32_t slot = slot_of(at);
        if (window->state[slot] != WRY_PAGE_SENT)
            continue;
        if (wry_progress_has_page(progress, (at - window->received) / WRY_PAGE_SIZE)) {
            window->state[slot] = WRY_PAGE_RECEIVED;
        } else if ((int16_t)(uint16_t)(progress->last_seq - window->sent_seq[slot]) >= 0) {
            window->state[slot] = WRY_PAGE_UNSENT;
            if (window->sent_seq[slot] != lost_seq)
                note_loss(session);
            lost_seq = window->sent_seq[slot];
        }
    }
    return true;
}

static uint32_t sendable(const struct wry_session_window *window)
{
    return window->limit < window->available ? window->limit : window->available;
}

bool session_window_next(const struct wry_session *session, uint32_t *offset, uint32_t *length)
{
    const struct wry_session_window *window = &session->window;
    uint32_t most = session_frame_max(session);
    uint32_t at = window->received, end = sendable(window);

    while (at < end && window->state[slot_of(at)] != WRY_PAGE_UNSENT)
        at += WRY_PAGE_SIZE;
    *offset = at;
    while (at < end && at - *offset < most && window->state[slot_of(at)] == WRY_PAGE_UNSENT)
        at += WRY_PAGE_SIZE;
    *length = at - *offset;
    return *length > 0;
}

bool session_window_unsent(const struct wry_session_window *window, uint32_t offset)
{
    return offset < sendable(window) && window->state[slot_of(offset)] == WRY_PAGE_UNSENT;
}

/*
 * On an idle, lossy line, pages in flight are sent again one after the other: another loss would
 * delay everything after it.
 */
bool session_window_again(struct wry_session *session, uint32_t *offset)
{
    struct wry_session_window *window = &session->window;

    if (session->pace.payload > WRY_PAGE_SIZE)
        return false;
    for (uint32_t n = window->received; n < window->sent; n += WRY_PAGE_SIZE) {
        if (window->again < window->received || window->again >= window->sent)
            window->again = window->received;
        *offset = window->again;
        window->again += WRY_PAGE_SIZE;
        if (window->state[slot_of(*offset)] == WRY_PAGE_SENT)
            return true;
    }
    return false;
}

void session_window_sent(struct wry_session *session, uint32_t offset, uint32_t length,
                         uint16_t seq)
{
    struct wry_session_window *window = &session->window;

    for (uint32_t at = offset; at < offset + length; at += WRY_PAGE_SIZE) {
        window->state[slot_of(at)] = WRY_PAGE_SENT;
        window->sent_seq[slot_of(at)] = seq;
    }
    if (window->sent < offset + length)
        window->sent = offset + length;
    session_pace_note(session, 1, 0);
}
