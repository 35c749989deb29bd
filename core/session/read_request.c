/*
 * One read request: which parts of its answer have arrived, which are missing, and requesting
 * those.
 */
#include "session_inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

static uint32_t pages_of(uint32_t length)
{
    return length / WRY_PAGE_SIZE + (length % WRY_PAGE_SIZE != 0);
}

bool session_question_has(const struct wry_session_read *read, uint32_t page)
{
    return bits_has(read->have, page);
}

/* Pages of the answer, as far as known. */
static uint32_t pages_asked(const struct wry_session_read *read)
{
    if (!read->packed)
        return pages_of(read->length);
    if (read->unpacked == read->length)
        return 0;
    return read->stream_known ? pages_of(read->stream_length) : WRY_READ_PAGES;
}

/* Finds the next range of missing pages from *first on; false if there is none. */
bool session_question_lacks(const struct wry_session_read *read, uint32_t *first, uint32_t *end)
{
    uint32_t pages = pages_asked(read);

    while (*first < pages && session_question_has(read, *first))
        ++*first;
    *end = *first;
    while (*end < pages && !session_question_has(read, *end))
        ++*end;
    return *first < pages;
}

/* True if the whole answer has arrived. */
bool session_question_is_complete(const struct wry_session_read *read)
{
    uint32_t first = 0, end;

    return !session_question_lacks(read, &first, &end);
}

/* Requests the missing pages, with sequence number seq. */
enum wry_status session_question_ask(struct wry_session *session, struct wry_session_read *read,
                                     uint16_t seq)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_read_message message = {.range = {.offset = read->offset, .length = read->length},
                                       .packed = read->packed,
                                       .quick = read->quick,
                                       .frame_max = session_frame_max(session)};

    if (session_question_is_complete(read))
        return WRY_OK;
    if (message.frame_max >= WRY_PAYLOAD_MAX)
        message.frame_max = 0;
    for (size_t i = 0; i < sizeof read->have; i++) {
        message.wanted[i] = (uint8_t)~read->have[i];
        message.chosen |= read->have[i] != 0;
    }
    read->soon =
        read->packed && message.chosen && (session->board.features & WRY_FEATURE_SOON) != 0;
    message.soon = read->soon;
    read->frames = seq == read->seq ? read->frames : 0;
    if (seq != read->seq)
        read->seq_before = read->seq;
    read->seq = seq;
    size_t n = wry_message_put_read(head, seq, &message);
    return session_send(session, head, n, NULL, 0);
}

/* The number of lost frames among those of the answer. */
uint32_t session_question_lost(const struct wry_session *session,
                               const struct wry_session_read *read)
{
    uint32_t frame = session_frame_max(session) / WRY_PAGE_SIZE;
    uint32_t lost = 0, first, end;

    for (first = 0; session_question_lacks(read, &first, &end); first = end) {
        uint32_t frames = (end - first + frame - 1) / frame;
        lost += frames > 4 ? 1 : frames; /* a long gap was a single frame, of blank content */
    }
    return lost;
}
