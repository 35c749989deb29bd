/* Digests computed by the board. */
#include "session_inner.h"

#include "bytes/memory.h"

/* Time after which the progress of a digest is requested. */
#define ASK_AFTER_LEAST (20 * US_PER_MS)
#define ASK_AFTER_MOST (250 * US_PER_MS)

enum {
    SILENT_ROUNDS = 6,
    SHORTEST_SUMS =
        16 * WRY_SECTOR_SIZE, /* bytes of a range whose answer is worth requesting again */
    STATUS_SIZE = 100,        /* bytes of a progress message on the line, escapes included */
};

struct digest_wait {
    struct wry_session *session;
    struct wry_range_message range;
    uint8_t flags;
    size_t size;       /* bytes of the answer */
    uint32_t reached;  /* flash offset that the board has reached */
    unsigned silent;   /* rounds without an answer */
    uint64_t ask_next; /* us: when to request progress next */
};

/* The answer before the latest becomes the current one; the latest is kept in its place. */
static void use_earlier(struct wry_session *session)
{
    struct wry_session_answer answer = session->earlier;

    session->earlier.fresh = false;
    session_keep_answer(session);
    session->digest_fresh = true;
    session->digest_seq = answer.seq;
    session->digest_range = answer.range;
    session->digest_length = answer.length;
    memcpy(session->cargo, answer.digest, answer.length);
}

enum wry_status session_ask_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                   uint8_t flags, uint16_t *seq)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_range_message range = {.offset = offset, .length = length};

    *seq = session_next_seq(session);
    if (!(flags & WRY_FLAG_AFTER))
        session->digest_fresh = session->earlier.fresh = false;
    size_t n = wry_message_put_range(head, WRY_KIND_DIGEST, flags, *seq, &range);
    return session_send(session, head, n, NULL, 0);
}

/* A typical processor hashes a byte in about a microsecond. */
static uint64_t ask_after(uint32_t length)
{
    uint64_t time = ASK_AFTER_LEAST + length;

    return time < ASK_AFTER_MOST ? time : ASK_AFTER_MOST;
}

static bool is_here(const struct digest_wait *wait, uint16_t seq)
{
    struct wry_session *session = wait->session;
    const struct wry_session_answer *earlier = &session->earlier;

    if (earlier->fresh && earlier->range.offset == wait->range.offset &&
        earlier->range.length == wait->range.length && earlier->length == wait->size &&
        (int16_t)(uint16_t)(earlier->seq - seq) >= 0)
        use_earlier(session);
    return session->digest_fresh && session->digest_range.offset == wait->range.offset &&
           session->digest_range.length == wait->range.length &&
           session->digest_length == wait->size &&
           (int16_t)(uint16_t)(session->digest_seq - seq) >= 0;
}

/* The board reported progress: it is still working, or it has finished and its answer was lost. */
static enum wry_status on_progress(struct digest_wait *wait)
{
    struct wry_session *session = wait->session;
    uint32_t reached = session->progress.digested;
    uint32_t end = wait->range.offset + wait->range.length;

    if (!session->progress_fresh)
        return WRY_OK;
    session->progress_fresh = false;
    if (reached <= wait->range.offset || reached > end || reached == wait->reached)
        return WRY_OK;
    wait->reached = reached;
    session_advanced(session);
    return session_report(session, WRY_STEP_DIGEST, reached, reached - wait->range.offset,
                          wait->range.length);
}

static enum wry_status on_message(struct digest_wait *wait, const struct wry_message *message)
{
    struct wry_error_message error;

    wait->silent = 0;
    if (message->kind == WRY_KIND_ERROR && wry_message_get_error(message, &error) &&
        error.of_kind == WRY_KIND_DIGEST)
        return session_refused(wait->session, WRY_STEP_DIGEST, error.code, error.offset);
    return WRY_OK;
}

/*
 * The answer is overdue: requests progress, and the digest again. A board that is working on it
 * continues; one that has finished answers at once. If a long answer does not get through, a
 * shorter one may.
 */
static enum wry_status ask_once_more(struct digest_wait *wait)
{
    struct wry_session *session = wait->session;
    uint16_t ignored;

    if (++wait->silent > SILENT_ROUNDS)
        return session_fail(session, WRY_LINK_LOST, WRY_STEP_DIGEST, wait->range.offset);
    enum wry_status status = session_check_advance(session, WRY_STEP_DIGEST, wait->reached);
    if (status != WRY_OK)
        return status;
    bool through = wait->reached == wait->range.offset + wait->range.length;
    if (through)
        session_pace_note(session, 1, 1);
    if (through && (wait->flags & WRY_FLAG_SECTORS) && !wry_digest_is_together(wait->flags) &&
        wait->range.length > SHORTEST_SUMS)
        return WRY_NO_ANSWER;
    status = session_ask_status(session);
    /* Sends the request twice on a lossy line: the line is idle, and a round trip takes longer. */
    session->digest_asked_again = true;
    for (unsigned i = session->pace.payload > WRY_PAGE_SIZE; i < 2 && status == WRY_OK; i++)
        status = session_ask_digest(session, wait->range.offset, wait->range.length, wait->flags,
                                    &ignored);
    wait->ask_next =
        session_answer_deadline(session, STATUS_SIZE + wait->size) + ask_after(wait->range.length);
    return status;
}

enum wry_status session_await_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                     uint8_t flags, uint16_t seq)
{
    size_t size = wry_digest_size(flags, length);
    struct digest_wait wait = {.session = session,
                               .range = {.offset = offset, .length = length},
                               .flags = flags,
                               .size = size,
                               .ask_next =
                                   session_answer_deadline(session, size) + ask_after(length)};
    struct wry_message message;
    bool got;

    session_advanced(session);
    session->progress_fresh = false;
    session->digest_asked_again = false;
    while (!is_here(&wait, seq)) {
        enum wry_status status = session_receive(session, wait.ask_next, &message, &got);
        if (status == WRY_OK && got)
            status = on_message(&wait, &message);
        if (status == WRY_OK && !is_here(&wait, seq))
            status = on_progress(&wait);
        if (status == WRY_OK && session_now(session) >= wait.ask_next && !is_here(&wait, seq))
            status = ask_once_more(&wait);
        if (status != WRY_OK)
            return status;
    }
    session->digest_fresh = false;
    return WRY_OK;
}

enum wry_status session_fetch_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                     uint8_t flags)
{
    for (bool again = false;; again = true) {
        uint16_t seq;
        enum wry_status status = session_ask_digest(session, offset, length, flags, &seq);
        if (status == WRY_OK)
            status = session_await_digest(session, offset, length, flags, seq);
        if (status != WRY_LINK_LOST || again)
            return status;
        status = session_recover(session, WRY_STEP_DIGEST);
        if (status != WRY_OK)
            return status;
    }
}

enum wry_status session_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                               uint8_t digest[WRY_SHA256_SIZE])
{
    enum wry_status status = session_fetch_digest(session, offset, length, 0);

    if (status == WRY_OK)
        memcpy(digest, session->cargo, WRY_SHA256_SIZE);
    return status;
}

enum wry_status wry_session_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                   uint8_t digest[WRY_SHA256_SIZE])
{
    session_begin_call(session);
    return session_digest(session, offset, length, digest);
}

/* *ahead is true if the next range was requested as well, with *seq. */
static enum wry_status digest_and_ask(struct wry_session *session,
                                      const struct wry_range_message *range,
                                      const struct wry_range_message *next, bool *ahead,
                                      uint16_t *seq, uint8_t digest[WRY_SHA256_SIZE])
{
    uint16_t next_seq = 0;
    enum wry_status status =
        *ahead ? WRY_OK : session_ask_digest(session, range->offset, range->length, 0, seq);

    if (status == WRY_OK && next)
        status = session_ask_digest(session, next->offset, next->length, WRY_FLAG_AFTER, &next_seq);
    if (status == WRY_OK)
        status = session_await_digest(session, range->offset, range->length, 0, *seq);
    *seq = next_seq;
    *ahead = status == WRY_OK && next && !session->digest_asked_again;
    if (status == WRY_LINK_LOST) {
        status = session_recover(session, WRY_STEP_DIGEST);
        return status == WRY_OK ? session_digest(session, range->offset, range->length, digest)
                                : status;
    }
    if (status == WRY_OK)
        memcpy(digest, session->cargo, WRY_SHA256_SIZE);
    return status;
}

enum wry_status wry_session_digests(struct wry_session *session,
                                    const struct wry_range_message *ranges, size_t count,
                                    uint8_t (*digests)[WRY_SHA256_SIZE])
{
    bool can = (session->board.features & WRY_FEATURE_AFTER) != 0, ahead = false;
    uint16_t seq = 0;
    enum wry_status status = WRY_OK;

    session_begin_call(session);
    for (size_t i = 0; i < count && status == WRY_OK; i++)
        status = digest_and_ask(session, &ranges[i], can && i + 1 < count ? &ranges[i + 1] : NULL,
                                &ahead, &seq, digests[i]);
    return status;
}
