/*
 * The sending side of the window: which pages are on their way.
 *
 * The line keeps its order, and every progress message carries the sequence number of the last
 * good frame the board had. So a page sent before that number and not reported as received is
 * lost, and is sent again at once; nothing else ever is.
 */
#include "inner.h"

#include <string.h>

enum {
    CLEAN_TO_GROW = 24, /* frames without loss before they are made longer */
    RECENT_FRAMES = 96, /* over which the loss is judged */
    BAD_PERCENT = 25,   /* loss of the shortest frames that calls for a slower speed */
};

void session_window_begin(struct wry_session_window *window, const struct wry_run *run)
{
    uint32_t payload = window->payload > 0 ? window->payload : WRY_PAYLOAD_MAX;

    memset(window, 0, sizeof *window);
    window->start = window->received = window->hashed = run->start;
    window->limit = run->start;
    window->end = run->end;
    window->payload = payload;
    wry_sha256_begin(&window->sha);
}

static uint32_t slot_of(uint32_t offset)
{
    return offset / WRY_PAGE_SIZE % WRY_PROGRESS_PAGES;
}

static bool fits_run(const struct wry_session *session, const struct wry_progress_message *progress)
{
    const struct wry_session_window *window = &session->window;

    return progress->received >= window->start && progress->received <= window->end &&
           progress->received % WRY_PAGE_SIZE == 0 && progress->limit <= window->end &&
           progress->limit - progress->received <= WRY_PROGRESS_PAGES * WRY_PAGE_SIZE;
}

static void note_loss(struct wry_session *session)
{
    struct wry_session_window *window = &session->window;

    session->stats.frames_resent++;
    window->recent_lost++;
    window->clean_frames = 0;
    if (window->payload > WRY_PAGE_SIZE)
        window->payload /= 2;
}

bool session_window_note(struct wry_session *session, const struct wry_progress_message *progress)
{
    struct wry_session_window *window = &session->window;
    uint32_t lost_seq = UINT32_MAX;

    if (!fits_run(session, progress))
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

bool session_window_next(const struct wry_session *session, uint32_t *offset, uint32_t *length)
{
    const struct wry_session_window *window = &session->window;
    uint32_t most =
        window->payload < session->board.payload_max ? window->payload : session->board.payload_max;
    uint32_t at = window->received;

    while (at < window->limit && window->state[slot_of(at)] != WRY_PAGE_UNSENT)
        at += WRY_PAGE_SIZE;
    *offset = at;
    while (at < window->limit && at - *offset < most &&
           window->state[slot_of(at)] == WRY_PAGE_UNSENT)
        at += WRY_PAGE_SIZE;
    *length = at - *offset;
    return *length > 0;
}

void session_window_sent(struct wry_session_window *window, uint32_t offset, uint32_t length,
                         uint16_t seq)
{
    for (uint32_t at = offset; at < offset + length; at += WRY_PAGE_SIZE) {
        window->state[slot_of(at)] = WRY_PAGE_SENT;
        window->sent_seq[slot_of(at)] = seq;
    }
    window->recent_frames++;
    if (++window->clean_frames >= CLEAN_TO_GROW && window->payload < WRY_PAYLOAD_MAX) {
        window->payload *= 2;
        window->clean_frames = 0;
    }
}

bool session_window_is_bad(struct wry_session_window *window)
{
    if (window->recent_frames < RECENT_FRAMES)
        return false;
    bool bad = window->payload == WRY_PAGE_SIZE &&
               window->recent_lost * 100 > window->recent_frames * BAD_PERCENT;
    window->recent_frames = window->recent_lost = 0;
    return bad;
}
