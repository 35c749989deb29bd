/* Digests by the board. */
#include "inner.h"

#include <string.h>

#define ASK_AGAIN (250 * US_PER_MS)

enum {
    SILENT_ROUNDS = 6,
};

enum wry_status session_ask_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                   uint8_t flags, uint16_t *seq)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_range_message range = {.offset = offset, .length = length};

    *seq = session_next_seq(session);
    session->digest_fresh = false;
    size_t n = wry_message_put_range(head, WRY_KIND_DIGEST, flags, *seq, &range);
    return session_send(session, head, n, NULL, 0);
}

static bool is_here(const struct wry_session *session, uint32_t offset, uint32_t length,
                    uint8_t flags, uint16_t seq)
{
    size_t expected = flags & WRY_FLAG_SECTORS
                          ? (size_t)(length / WRY_SECTOR_SIZE) * WRY_SECTOR_DIGEST_SIZE
                          : WRY_SHA256_SIZE;

    return session->digest_fresh && session->digest_range.offset == offset &&
           session->digest_range.length == length && session->digest_length == expected &&
           (int16_t)(uint16_t)(session->digest_seq - seq) >= 0;
}

/* A request may have been lost, or its answer: both are harmless to repeat. */
static enum wry_status ask_again(struct wry_session *session, uint32_t offset, uint32_t length,
                                 uint8_t flags)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    uint16_t ignored;
    size_t n = wry_message_put_bare(head, WRY_KIND_STATUS, session_next_seq(session));
    enum wry_status status = session_send(session, head, n, NULL, 0);

    return status == WRY_OK ? session_ask_digest(session, offset, length, flags, &ignored) : status;
}

enum wry_status session_await_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                     uint8_t flags, uint16_t seq)
{
    struct wry_message message;
    struct wry_error_message error;
    uint64_t again = session_now(session) + ASK_AGAIN;
    unsigned silent = 0;
    bool got;

    while (!is_here(session, offset, length, flags, seq)) {
        enum wry_status status = session_receive(session, again, &message, &got);
        if (status != WRY_OK)
            return status;
        if (got && message.kind == WRY_KIND_ERROR && wry_message_get_error(&message, &error) &&
            error.of_kind == WRY_KIND_DIGEST)
            return session_refused(session, WRY_STEP_DIGEST, error.code, error.offset);
        if (got)
            silent = 0;
        if (got && session_now(session) < again)
            continue;
        if (++silent > SILENT_ROUNDS)
            return session_fail(session, WRY_LINK_LOST, WRY_STEP_DIGEST, offset);
        status = session_report(session, WRY_STEP_DIGEST, session->progress.digested, 0, length);
        if (status == WRY_OK)
            status = ask_again(session, offset, length, flags);
        if (status != WRY_OK)
            return status;
        again = session_reply_deadline(session) + ASK_AGAIN;
    }
    session->digest_fresh = false;
    return WRY_OK;
}

enum wry_status wry_session_digest(struct wry_session *session, uint32_t offset, uint32_t length,
                                   uint8_t digest[WRY_SHA256_SIZE])
{
    for (bool again = false;; again = true) {
        uint16_t seq;
        enum wry_status status = session_ask_digest(session, offset, length, 0, &seq);
        if (status == WRY_OK)
            status = session_await_digest(session, offset, length, 0, seq);
        if (status == WRY_LINK_LOST && !again) {
            status = session_recover(session, WRY_STEP_DIGEST);
            if (status == WRY_OK)
                continue;
        }
        if (status == WRY_OK)
            memcpy(digest, session->payload, WRY_SHA256_SIZE);
        return status;
    }
}
