/* Sends and receives frames, and repeats requests until they are answered. */
#include "bytes/fields.h"
#include "session_inner.h"
#include "wire/frame_codec.h"

#include "bytes/memory.h"

#define TEXT_SLICE (2 * US_PER_MS)
#define AHEAD                                                                                      \
    (150 * US_PER_MS) /* most data handed to the port ahead of the line, in time: buffered data    \
                         cannot be stopped */

enum {
    PIECE_LEAST = 128, /* bytes handed to the port at once, at least, */
    PIECE_MOST = 1024, /* and at most, at speeds */
    PIECE_RATE = 1000, /* at which they take a hundredth of a second */
    REPLY_SIZE = 64,   /* bytes of a short reply on the line */
    TEXT_LEAST = 32,   /* bytes of text that are firmware output and no answer */
};

uint16_t session_next_seq(struct wry_session *session)
{
    /* 0 is reserved for messages that answer no request. */
    if (++session->seq == 0)
        session->seq = 1;
    return session->seq;
}

static enum wry_status put_out(struct wry_session *session, const uint8_t *bytes, size_t n)
{
    uint64_t now = session_now(session);
    uint64_t start = session->line_free_at > now ? session->line_free_at : now;

    session->line_free_at = start + session_line_time(session, n);
    session->spoke_at = now;
    session->stats.bytes_sent += n;
    enum wry_status status = session->port->write(session->port->context, bytes, n);
    session->waited += session_now(session) - now;
    if (status == WRY_OK)
        return WRY_OK;
    session->port_failed = true;
    return session_fail(session, WRY_LINK_LOST, WRY_STEP_NONE, 0);
}

/* If the caller stops in the middle of a frame, it is closed, so that the next frame is not lost
 * with it. */
static enum wry_status send_piece(struct wry_session *session, const uint8_t *bytes, size_t n)
{
    const uint8_t flag = WRY_FRAME_FLAG;
    enum wry_status status = WRY_OK;

    if (session->line_free_at > session_now(session) + AHEAD)
        status = session_pause(session, session->line_free_at - AHEAD);
    if (status == WRY_OK)
        return put_out(session, bytes, n);
    struct wry_fault fault = session->fault;
    put_out(session, &flag, sizeof flag);
    session->fault = fault;
    return status;
}

enum wry_status session_send(struct wry_session *session, const uint8_t *head, size_t head_length,
                             const uint8_t *payload, size_t payload_length)
{
    struct wry_encoder encoder;
    uint8_t piece[PIECE_MOST];
    size_t room = session->speed / PIECE_RATE, n;

    if (!session->connected && head[0] != WRY_KIND_HELLO)
        return session_fail(session, WRY_BAD_ARGUMENT, WRY_STEP_NONE, 0);
    frame_encoder_init(&encoder, head, head_length, payload, payload_length);
    room = room < PIECE_LEAST ? PIECE_LEAST : room > PIECE_MOST ? PIECE_MOST : room;
    while ((n = frame_encoder_give(&encoder, piece, room)) > 0) {
        enum wry_status status = send_piece(session, piece, n);
        if (status != WRY_OK)
            return status;
    }
    return WRY_OK;
}

static bool is_text(uint8_t byte)
{
    return (byte >= 0x20 && byte < 0x7F) || byte == '\r' || byte == '\n';
}

/* Stores bytes outside frames, for the diagnosis of a board that does not answer. */
static void hear(struct wry_session *session, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n; i++) {
        uint8_t byte = bytes[i];
        session->heard[session->heard_at++ % WRY_SESSION_HEARD] = byte;
        session->stats.bytes_outside++;
        session->stats.bytes_zero += byte == 0;
        session->stats.bytes_printable += is_text(byte);
    }
}

size_t wry_session_heard(const struct wry_session *session, uint8_t to[WRY_SESSION_HEARD])
{
    size_t end = session->heard_at;
    size_t n = end < WRY_SESSION_HEARD ? end : WRY_SESSION_HEARD;

    for (size_t i = 0; i < n; i++)
        to[i] = session->heard[(end - n + i) % WRY_SESSION_HEARD];
    return n;
}

size_t wry_session_take_rest(struct wry_session *session, uint8_t *to, size_t room)
{
    size_t left = session->raw_fill - session->raw_at;
    size_t n = left < room ? left : room;

    memcpy(to, session->raw + session->raw_at, n);
    session->raw_at += n;
    return n;
}

void session_keep_answer(struct wry_session *session)
{
    struct wry_session_answer *earlier = &session->earlier;

    if (!session->digest_fresh || session->digest_length > sizeof earlier->digest)
        return;
    *earlier = (struct wry_session_answer){.fresh = true,
                                           .seq = session->digest_seq,
                                           .range = session->digest_range,
                                           .length = session->digest_length};
    memcpy(earlier->digest, session->cargo, session->digest_length);
}

static void note_digest(struct wry_session *session, const struct wry_message *message)
{
    struct wry_digest_reply reply;

    if (!wry_message_get_digest_reply(message, &reply) ||
        reply.digest_length > sizeof session->cargo)
        return;
    session_keep_answer(session);
    session->digest_fresh = true;
    session->digest_seq = message->seq;
    session->digest_range = reply.range;
    session->digest_length = reply.digest_length;
    memcpy(session->cargo, reply.digest, reply.digest_length);
}

static void note(struct wry_session *session, const struct wry_message *message)
{
    struct wry_progress_message progress;

    if (message->kind == (WRY_KIND_STATUS | WRY_KIND_REPLY) &&
        wry_message_get_progress(message, &progress)) {
        session->progress = progress;
        session->progress_fresh = true;
    } else if (message->kind == (WRY_KIND_DIGEST | WRY_KIND_REPLY)) {
        note_digest(session, message);
    } else if (!(message->kind & WRY_KIND_REPLY)) {
        session->stats.own_frames++;
    }
}

/* Counts what looks like text since the last good frame, in a frame or not: text after the flag
 * that ends a frame looks like the beginning of the next. */
static void count_text(struct wry_session *session, const uint8_t *bytes, size_t n)
{
    for (size_t i = 0; i < n; i++)
        session->printed += is_text(bytes[i]);
}

/* Decodes buffered bytes; true if a good frame ended. */
static bool decode(struct wry_session *session, struct wry_message *message)
{
    while (session->raw_at < session->raw_fill) {
        const uint8_t *at = session->raw + session->raw_at;
        enum wry_frame_event event;
        size_t used =
            frame_decoder_take(&session->decoder, at, session->raw_fill - session->raw_at, &event);
        session->raw_at += used;
        if (event == WRY_FRAME_OUTSIDE)
            hear(session, at, used);
        else if (event == WRY_FRAME_BAD)
            session->stats.frames_bad++;
        else if (event == WRY_FRAME_GOOD &&
                 wry_message_split(message, session->decoder.body, session->decoder.length)) {
            session->frame_at = session->waited;
            session->printed = 0;
            count_text(session, at + used, session->raw_fill - session->raw_at);
            note(session, message);
            return true;
        }
    }
    return false;
}

/* Reads from the port, waiting until the deadline at most. */
static enum wry_status fetch(struct wry_session *session, uint64_t deadline)
{
    uint64_t begun = session_now(session);

    session->raw_at = session->raw_fill = 0;
    enum wry_status status = session->port->read(session->port->context, session->raw,
                                                 sizeof session->raw, deadline, &session->raw_fill);
    session->waited += session_now(session) - begun;
    session->stats.bytes_received += session->raw_fill;
    count_text(session, session->raw, session->raw_fill);
    if (session->raw_fill > 0)
        session->raw_last = session->raw_fill;
    if (status == WRY_OK)
        return WRY_OK;
    session->port_failed = true;
    return session_fail(session, WRY_LINK_LOST, WRY_STEP_NONE, 0);
}

enum wry_status session_receive(struct wry_session *session, uint64_t deadline,
                                struct wry_message *message, bool *got)
{
    uint64_t now = session_now(session);
    /* Waits for a frame that has begun, for as long as the longest frame takes. */
    uint64_t last = deadline + session_line_time(session, 2 * WRY_FRAME_WORST(WRY_BODY_MAX));
    bool waiting = deadline > now;

    for (;;) {
        *got = decode(session, message);
        if (*got)
            return WRY_OK;
        enum wry_status status = session_heartbeat(session);
        if (status == WRY_OK)
            status = fetch(session, session_slice(session, deadline));
        if (status != WRY_OK)
            return status;
        now = session_now(session);
        if (session->raw_fill == 0 && now >= deadline)
            return WRY_OK;
        uint64_t more = now + session_gap(session);
        if (waiting && session->raw_fill > 0 && session->decoder.state != WRY_DECODER_OUTSIDE &&
            more > deadline)
            deadline = more < last ? more : last;
    }
}

/*
 * One attempt: waits for the reply until it is overdue, WRY_NO_ANSWER then. If text is not 0, so
 * many bytes of text end the wait as well; the last ones stay in the buffer.
 */
static enum wry_status await_reply(struct wry_session *session, uint8_t reply_kind, uint16_t seq,
                                   uint32_t text, struct wry_message *reply)
{
    uint64_t deadline = session_answer_deadline(session, REPLY_SIZE);
    struct wry_error_message error;
    bool got;

    session->printed = 0;
    for (;;) {
        uint64_t soon = session_now(session) + TEXT_SLICE;
        uint64_t until = text > 0 && soon < deadline ? soon : deadline;
        enum wry_status status = session_receive(session, until, reply, &got);
        if (status != WRY_OK)
            return status;
        if (!got && text > 0 && session->printed >= text) {
            session->raw_at = 0;
            session->raw_fill = session->raw_last;
            return WRY_OK;
        }
        if (!got && until < deadline)
            continue;
        if (!got)
            return WRY_NO_ANSWER;
        if (reply->seq != seq)
            continue;
        if (reply->kind == reply_kind)
            return WRY_OK;
        if (reply->kind == WRY_KIND_ERROR && wry_message_get_error(reply, &error))
            return session_refused(session, WRY_STEP_NONE, error.code, error.offset);
    }
}

static enum wry_status exchange(struct wry_session *session, const uint8_t *head, size_t length,
                                unsigned tries, uint32_t text, struct wry_message *reply)
{
    uint8_t reply_kind = head[0] | WRY_KIND_REPLY;
    uint16_t seq = bytes_get16(head + 2);
    uint64_t asked = 0;

    /* After a stop no answers are awaited: what is still sent leaves the board in a clean state. */
    if (session->stopped) {
        enum wry_status status = session_send(session, head, length, NULL, 0);
        /* A port may lose unsent bytes when it is closed. */
        if (status == WRY_OK)
            status = session_pause(session, session->line_free_at);
        return status == WRY_OK ? session_fail(session, WRY_STOPPED, WRY_STEP_NONE, 0) : status;
    }
    for (unsigned i = 0; i < tries; i++) {
        enum wry_status status = session_send(session, head, length, NULL, 0);
        if (i == 0)
            asked = session->line_free_at;
        if (status == WRY_OK)
            status = await_reply(session, reply_kind, seq, text, reply);
        if (status == WRY_OK)
            session_note_latency(session, asked, reply->length, i + 1);
        if (status != WRY_NO_ANSWER)
            return status;
    }
    return session_fail(session, WRY_LINK_LOST, WRY_STEP_NONE, 0);
}

enum wry_status session_exchange(struct wry_session *session, const uint8_t *head, size_t length,
                                 unsigned tries, struct wry_message *reply)
{
    return exchange(session, head, length, tries, 0, reply);
}

enum wry_status session_exchange_start(struct wry_session *session, const uint8_t *head,
                                       size_t length, unsigned tries)
{
    struct wry_message reply = {.length = 0};

    return exchange(session, head, length, tries, TEXT_LEAST, &reply);
}

enum wry_status session_ask_status(struct wry_session *session)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    size_t n = wry_message_put_bare(head, WRY_KIND_STATUS, session_next_seq(session));

    return session_send(session, head, n, NULL, 0);
}

enum wry_status session_keep_awake(struct wry_session *session)
{
    enum wry_status status = session_heartbeat(session);

    if (status == WRY_OK && session_now(session) >= session->spoke_at + SESSION_KEEP_ALIVE)
        status = session_ask_status(session);
    return status;
}

enum wry_status session_set_port_speed(struct wry_session *session, uint32_t baud)
{
    enum wry_status status = session->port->set_speed(session->port->context, baud);

    if (status == WRY_UNSUPPORTED)
        return session_fail(session, WRY_UNSUPPORTED, WRY_STEP_SPEED, 0);
    if (status != WRY_OK) {
        session->port_failed = true;
        return session_fail(session, WRY_LINK_LOST, WRY_STEP_SPEED, 0);
    }
    session->speed = baud;
    session->line_free_at = session_now(session);
    frame_decoder_init(&session->decoder, session->body, sizeof session->body);
    session->raw_at = session->raw_fill = 0;
    session->port->discard(session->port->context);
    return WRY_OK;
}
