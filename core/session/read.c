/*
 * Reading: several requests in flight, each with a map of received pages. The board serves requests
 * in order, so an answer to a later one shows that the earlier ones are done; only the pages
 * missing then are requested again.
 */
#include "session_inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

enum {
    SILENT_ROUNDS = 4, /* rounds without an answer after which the link counts as lost */
    FEW_PAGES = 8,
    TELLING_LENGTH = 4096, /* bytes of a read that shows how well content compresses */
    POORLY_PACKED = 95,    /* percent of the content: it is compressed already, or encrypted */
    PLAIN_QUESTIONS = 3,
    LOSSES = 32, /* of the link, one after the other without content between them */
};

static unsigned count_active(const struct wry_session *session)
{
    unsigned n = 0;

    for (size_t i = 0; i < WRY_SESSION_READS; i++)
        n += session->reads[i].active;
    return n;
}

/* Reads the rest of its content without a stream. */
static void unpack_no_more(struct wry_session_read *read)
{
    *read = (struct wry_session_read){.active = true,
                                      .offset = read->offset + read->unpacked,
                                      .length = read->length - read->unpacked};
}

/*
 * The board has finished a request: requests missing pages again, or ends it. Long requests wait
 * until the frame length is settled, since frames arrive in the length requested.
 */
static enum wry_status end_question(struct session_read_job *job, struct wry_session_read *read)
{
    struct wry_session *session = job->session;
    uint32_t payload = session_frame_max(session);
    uint32_t first = 0, end;
    uint32_t lost = read->frames > 0 ? session_question_lost(session, read) : 1;

    bool lacks = session_question_lacks(read, &first, &end);
    read->active = lacks || (read->packed && read->unpacked < read->length);
    session_pace_note(session, read->frames + (lacks ? lost : 0), lacks ? lost : 0);
    if (session_frame_max(session) < payload)
        job->length = session_read_first_length(session);
    else if (job->length < WRY_SESSION_READ_LENGTH)
        job->length *= 2;
    if (!lacks)
        return WRY_OK;
    if (read->packed && session_unpack_is_hopeless(session))
        unpack_no_more(read);
    enum wry_status status = session_question_ask(session, read, session_next_seq(session));
    /* Requests the last pages twice on a bad line: it is idle, and a round trip takes longer than
     * they do. */
    if (status == WRY_OK && job->next == job->end && session->pace.payload == WRY_PAGE_SIZE &&
        session_question_lost(session, read) <= FEW_PAGES &&
        count_active(session) <= WRY_SESSION_READS / 2)
        status = session_question_ask(session, read, session_next_seq(session));
    return status;
}

/* Stores one received page, shorter at the end of the range, unless it has arrived before. */
static bool take_page(struct session_read_job *job, struct wry_session_read *read, uint32_t offset,
                      const uint8_t *bytes, uint32_t n)
{
    uint32_t page = (offset - read->offset) / WRY_PAGE_SIZE;

    if (session_question_has(read, page))
        return true;
    if (!job->writer->write(job->writer->context, offset, bytes, n))
        return false;
    bits_add(read->have, page);
    job->done += n;
    session_advanced(job->session);
    return true;
}

static enum wry_status take_data(struct session_read_job *job, struct wry_session_read *read,
                                 const struct wry_data_message *data)
{
    uint8_t blank[WRY_PAGE_SIZE];

    memset(blank, 0xFF, sizeof blank);
    for (uint32_t i = 0; i < data->length; i += WRY_PAGE_SIZE) {
        uint32_t n = data->length - i < WRY_PAGE_SIZE ? data->length - i : WRY_PAGE_SIZE;
        const uint8_t *bytes = data->encoding == WRY_ENCODING_STORED ? data->payload + i : blank;
        if (!take_page(job, read, data->offset + i, bytes, n))
            return session_fail(job->session, WRY_SINK_FAILED, WRY_STEP_READ, data->offset + i);
    }
    return session_report(job->session, WRY_STEP_READ, data->offset + data->length, job->done,
                          job->total);
}

/* Checks that data consists of whole pages of the requested range; only its end may be shorter. */
static bool fits(const struct wry_session_read *read, const struct wry_data_message *data)
{
    if (!read->active || read->packed || data->encoding == WRY_ENCODING_STREAM ||
        data->offset < read->offset || data->length > read->length ||
        data->offset - read->offset > read->length - data->length ||
        (data->offset - read->offset) % WRY_PAGE_SIZE != 0)
        return false;
    return data->length % WRY_PAGE_SIZE == 0 ||
           data->offset - read->offset + data->length == read->length;
}

/* Data for a later request shows that the earlier ones are done. */
static enum wry_status pass_earlier(struct session_read_job *job, uint16_t seq)
{
    enum wry_status status = WRY_OK;

    for (size_t i = 0; i < WRY_SESSION_READS && status == WRY_OK; i++) {
        struct wry_session_read *read = &job->session->reads[i];
        bool waits =
            read->packed && read->unpacked < read->length && session_question_is_complete(read);
        if (read->active && !waits && (int16_t)(uint16_t)(seq - read->seq) > 0)
            status = end_question(job, read);
    }
    return status;
}

/* If everything has arrived and nothing more will be requested, does not wait for the final
 * reply. */
static enum wry_status end_early(struct session_read_job *job, struct wry_session_read *read)
{
    uint32_t first = 0, end;

    return job->next == job->end && !session_question_lacks(read, &first, &end)
               ? end_question(job, read)
               : WRY_OK;
}

/* True if an answer with this number shows that earlier requests are done. */
static bool is_in_order(const struct wry_session *session, uint16_t seq)
{
    for (size_t i = 0; i < WRY_SESSION_READS; i++) {
        const struct wry_session_read *read = &session->reads[i];
        if (read->active && read->seq == seq)
            return !read->soon;
    }
    return false;
}

/* Receives decoded pages. */
static enum wry_status take_unpacked(void *context, uint32_t offset, const uint8_t *bytes,
                                     uint32_t n)
{
    struct session_read_job *job = context;

    if (!job->writer->write(job->writer->context, offset, bytes, n))
        return session_fail(job->session, WRY_SINK_FAILED, WRY_STEP_READ, offset);
    job->done += n;
    /* Blank content produces no stream whose progress could be seen. */
    session_advanced(job->session);
    return session_report(job->session, WRY_STEP_READ, offset + n, job->done, job->total);
}

/* The request whose content comes next in the flash. */
static struct wry_session_read *earliest_packed(struct wry_session *session)
{
    struct wry_session_read *earliest = NULL;

    for (size_t i = 0; i < WRY_SESSION_READS; i++) {
        struct wry_session_read *read = &session->reads[i];
        if (read->active && read->packed && (!earliest || read->offset < earliest->offset))
            earliest = read;
    }
    return earliest;
}

/* The board sent an invalid stream: requests the content again, without streams. */
static enum wry_status ask_unpacked(struct session_read_job *job)
{
    struct wry_session *session = job->session;
    enum wry_status status = WRY_OK;

    session->unpack_failed = true;
    for (size_t i = 0; i < WRY_SESSION_READS && status == WRY_OK; i++) {
        struct wry_session_read *read = &session->reads[i];
        if (!read->active || !read->packed)
            continue;
        unpack_no_more(read);
        status = session_question_ask(session, read, session_next_seq(session));
    }
    return status;
}

/* Decodes what can be decoded now, in flash order. */
static enum wry_status unpack(struct session_read_job *job)
{
    struct session_page_sink sink = {.context = job, .take = take_unpacked};
    struct wry_session_read *read;
    enum wry_status status = WRY_OK;
    bool damaged = false;

    while (status == WRY_OK && !damaged && (read = earliest_packed(job->session)) != NULL) {
        status = session_unpack(job->session, read, &sink, &damaged);
        /* Waits for the end of each request, which measures the line; except for the very last one.
         */
        bool all = read->unpacked == read->length;
        if (!all || status != WRY_OK || (!read->stream_known && job->next < job->end))
            break;
        if (!read->stream_known)
            status = end_question(job, read);
        read->active = false;
    }
    return damaged && status == WRY_OK ? ask_unpacked(job) : status;
}

static void take_stream(const struct session_read_job *job, const struct wry_message *message,
                        const struct wry_data_message *data)
{
    for (size_t i = 0; i < WRY_SESSION_READS; i++) {
        struct wry_session_read *read = &job->session->reads[i];
        bool asked = message->seq == read->seq || message->seq == read->seq_before;
        if (!read->active || !read->packed || !asked || !session_unpack_fits(read, data))
            continue;
        if (read->seq == message->seq)
            read->frames++;
        session_unpack_take(job->session, read, data);
        return;
    }
}

static enum wry_status on_data(struct session_read_job *job, const struct wry_message *message)
{
    struct wry_session *session = job->session;
    struct wry_data_message data;
    enum wry_status status = WRY_OK;

    if (!wry_message_get_data(message, &data) ||
        (int16_t)(uint16_t)(message->seq - job->first_seq) < 0)
        return WRY_OK;
    if (is_in_order(session, message->seq))
        status = pass_earlier(job, message->seq);
    if (data.encoding == WRY_ENCODING_STREAM) {
        take_stream(job, message, &data);
        return status;
    }
    for (size_t i = 0; i < WRY_SESSION_READS && status == WRY_OK; i++) {
        struct wry_session_read *read = &session->reads[i];
        if (!fits(read, &data))
            continue;
        if (read->seq == message->seq)
            read->frames++;
        status = take_data(job, read, &data);
        return status == WRY_OK ? end_early(job, read) : status;
    }
    return status;
}

static enum wry_status on_end(struct session_read_job *job, const struct wry_message *message)
{
    struct wry_session *session = job->session;
    uint16_t seq = message->seq;
    enum wry_status status = is_in_order(session, seq) ? pass_earlier(job, seq) : WRY_OK;

    for (size_t i = 0; i < WRY_SESSION_READS && status == WRY_OK; i++) {
        struct wry_session_read *read = &session->reads[i];
        if (!read->active || read->seq != seq)
            continue;
        uint32_t length;
        if (read->packed && wry_message_get_read_end(message, &length) &&
            length <= WRY_READ_PAGES * WRY_PAGE_SIZE) {
            read->stream_length = length;
            read->stream_known = true;
            if (length > read->length / 100 * POORLY_PACKED && read->length >= TELLING_LENGTH)
                session->ask_plain = PLAIN_QUESTIONS;
        }
        return end_question(job, read);
    }
    return status;
}

/* The board's queue was full, because a request it had answered was repeated: missing pages are
 * requested again. The next time, memory for compression may still be occupied by a cancelled
 * write. */
static enum wry_status on_busy(struct session_read_job *job, uint16_t seq)
{
    struct wry_session *session = job->session;

    for (size_t i = 0; i < WRY_SESSION_READS; i++) {
        struct wry_session_read *read = &session->reads[i];
        if (!read->active || !read->packed || read->seq != seq)
            continue;
        if (!read->was_busy) {
            read->was_busy = true;
            return WRY_OK;
        }
        session->ask_plain = PLAIN_QUESTIONS;
        unpack_no_more(read);
        return session_question_ask(session, read, session_next_seq(session));
    }
    return WRY_OK;
}

static enum wry_status on_error(struct session_read_job *job, const struct wry_message *message)
{
    struct wry_error_message error;

    if (!wry_message_get_error(message, &error) || error.of_kind != WRY_KIND_READ)
        return WRY_OK;
    if (error.code == WRY_ERROR_BUSY)
        return on_busy(job, message->seq);
    return session_refused(job->session, WRY_STEP_READ, error.code, error.offset);
}

/* Repeats the requests. A board that still has them queued ignores the repetition. */
static enum wry_status repeat_questions(struct session_read_job *job)
{
    struct wry_session *session = job->session;
    enum wry_status status = WRY_OK;

    job->asks_where = false;
    for (size_t i = 0; i < WRY_SESSION_READS && status == WRY_OK; i++) {
        struct wry_session_read *read = &session->reads[i];
        if (read->active)
            status = session_question_ask(session, read, read->seq);
    }
    /* The board may be waiting for its flash, but always answers a status request. */
    return status == WRY_OK ? session_ask_status(session) : status;
}

/* After a lost link or a speed change nothing is in flight any more. */
static enum wry_status ask_anew(struct wry_session *session)
{
    enum wry_status status = WRY_OK;

    for (size_t i = 0; i < WRY_SESSION_READS && status == WRY_OK; i++) {
        if (session->reads[i].active)
            status = session_question_ask(session, &session->reads[i], session_next_seq(session));
    }
    return status;
}

/* A line that lets calls through now and then, but no content, is not called for ever. */
static enum wry_status recover(struct session_read_job *job)
{
    job->losses = job->done > job->done_before ? 1 : job->losses + 1;
    job->done_before = job->done;
    if (job->losses > LOSSES)
        return session_fail(job->session, WRY_LINK_LOST, WRY_STEP_READ, job->next);
    enum wry_status status = session_recover(job->session, WRY_STEP_READ);

    return status == WRY_OK ? ask_anew(job->session) : status;
}

static enum wry_status on_silence(struct session_read_job *job, unsigned *silent)
{
    /* On a lossy line the round trip would be wasted. */
    if (++*silent == 1 && job->session->pace.untried) {
        job->asks_where = true;
        job->where_seq = (uint16_t)(job->session->seq + 1);
        return session_ask_status(job->session);
    }
    if (*silent < SILENT_ROUNDS)
        return repeat_questions(job);
    *silent = 0;
    return recover(job);
}

/*
 * All data that the board sent before its status has arrived by now or is lost, so missing pages
 * may be requested. Repeating requests at once would be wrong: answers may sit in the buffers of a
 * busy computer, and the board would send them all again.
 */
static enum wry_status on_status(struct session_read_job *job, uint16_t seq)
{
    if (!job->asks_where || seq != job->where_seq)
        return WRY_OK;
    return repeat_questions(job);
}

static enum wry_status on_message(struct session_read_job *job, const struct wry_message *message)
{
    switch (message->kind) {
    case WRY_KIND_DATA | WRY_KIND_REPLY:
        return on_data(job, message);
    case WRY_KIND_READ | WRY_KIND_REPLY:
        return on_end(job, message);
    case WRY_KIND_ERROR:
        return on_error(job, message);
    case WRY_KIND_STATUS | WRY_KIND_REPLY:
        return on_status(job, message->seq);
    default:
        return WRY_OK;
    }
}

/* Repeats the latest request: the board still has it queued and does not answer the repetition. */
static enum wry_status keep_awake(struct wry_session *session)
{
    struct wry_session_read *latest = NULL;

    for (size_t i = 0; i < WRY_SESSION_READS; i++) {
        struct wry_session_read *read = &session->reads[i];
        if (read->active && !session_question_is_complete(read) &&
            (!latest || (int16_t)(uint16_t)(read->seq - latest->seq) > 0))
            latest = read;
    }
    return latest ? session_question_ask(session, latest, latest->seq) : WRY_OK;
}

/* Between answers: decodes, keeps the board awake, adjusts the rate, and ends the read if the board
 * has stopped answering. */
static enum wry_status look_after(struct session_read_job *job)
{
    struct wry_session *session = job->session;
    bool changed = false;
    enum wry_status status = unpack(job);

    if (status == WRY_OK)
        status = session_pace_judge(session, WRY_STEP_READ, &changed);
    if (status == WRY_OK && changed)
        status = ask_anew(session);
    if (status == WRY_OK)
        status = session_check_advance(session, WRY_STEP_READ, session->told.offset);
    if (status == WRY_OK && session_now(session) >= session->spoke_at + SESSION_KEEP_ALIVE)
        status = keep_awake(session);
    return status == WRY_OK ? session_read_ask(job) : status;
}

static enum wry_status turn(struct session_read_job *job, unsigned *silent)
{
    struct wry_session *session = job->session;
    struct wry_message message;
    bool got;
    uint64_t deadline = session_answer_deadline(session, WRY_FRAME_WORST(WRY_DATA_HEAD));
    enum wry_status status = session_receive(session, deadline, &message, &got);

    if (status == WRY_OK && got)
        *silent = 0;
    if (status == WRY_OK)
        status = got ? on_message(job, &message) : on_silence(job, silent);
    if (status == WRY_OK)
        status = look_after(job);
    return session_may_recover(session, status) ? recover(job) : status;
}

static enum wry_status read_range(struct wry_session *session, uint32_t offset, uint32_t length,
                                  const struct wry_writer *writer, bool skips)
{
    struct session_read_job job = {.session = session,
                                   .skips = skips,
                                   .writer = writer,
                                   .next = offset,
                                   .end = offset + length,
                                   .length = session_read_first_length(session),
                                   .first_seq = (uint16_t)(session->seq + 1),
                                   .total = length};
    unsigned silent = 0;

    if (length > session->board.capacity || offset > session->board.capacity - length)
        return session_fail(session, WRY_BAD_RANGE, WRY_STEP_READ, offset);
    memset(session->reads, 0, sizeof session->reads);
    session_advanced(session);
    enum wry_status status = session_report(session, WRY_STEP_READ, offset, 0, length);
    if (status == WRY_OK)
        status = session_read_ask(&job);
    if (session_may_recover(session, status))
        status = recover(&job);
    while (status == WRY_OK && count_active(session) > 0)
        status = turn(&job, &silent);
    if (status == WRY_STOPPED || status == WRY_SINK_FAILED)
        session_abandon(session);
    return status;
}

enum wry_status session_read(struct wry_session *session, uint32_t offset, uint32_t length,
                             const struct wry_writer *writer)
{
    return read_range(session, offset, length, writer, false);
}

enum wry_status wry_session_read(struct wry_session *session, uint32_t offset, uint32_t length,
                                 const struct wry_writer *writer)
{
    session_begin_call(session);
    return session_read(session, offset, length, writer);
}

static enum wry_status read_hashed(struct wry_session *session, uint32_t offset, uint32_t length,
                                   const struct wry_writer *writer, bool skips,
                                   struct session_asked *after, uint8_t digest[WRY_SHA256_SIZE])
{
    uint16_t seq;
    /* Requested first: the board hashes while the line is busy with content. */
    enum wry_status status = session_ask_digest(session, offset, length, 0, &seq);

    if (status == WRY_OK && after)
        status = session_ask_digest(session, after->offset, after->sectors * WRY_SECTOR_SIZE,
                                    after->flags | WRY_FLAG_AFTER, &after->seq);
    bool asked = status == WRY_OK;
    if (session_may_recover(session, status))
        status = session_recover(session, WRY_STEP_READ);
    if (status == WRY_OK)
        status = read_range(session, offset, length, writer, skips);
    if (status != WRY_OK)
        return status;
    if (asked)
        status = session_await_digest(session, offset, length, 0, seq);
    bool lost = !asked || status == WRY_LINK_LOST;
    if (after && (lost || session->digest_asked_again))
        after->sectors = 0;
    if (lost)
        return session_digest(session, offset, length, digest);
    if (status == WRY_OK)
        memcpy(digest, session->cargo, WRY_SHA256_SIZE);
    return status;
}

enum wry_status session_read_hashed(struct wry_session *session, uint32_t offset, uint32_t length,
                                    const struct wry_writer *writer, struct session_asked *after,
                                    uint8_t digest[WRY_SHA256_SIZE])
{
    return read_hashed(session, offset, length, writer, false, after, digest);
}

enum wry_status wry_session_back_up(struct wry_session *session, uint32_t offset, uint32_t length,
                                    const struct wry_writer *writer,
                                    uint8_t digest[WRY_SHA256_SIZE])
{
    session_begin_call(session);
    if (length > session->board.capacity || offset > session->board.capacity - length)
        return session_fail(session, WRY_BAD_RANGE, WRY_STEP_READ, offset);
    enum wry_status status = session_sample(session, offset, length);
    return status == WRY_OK ? read_hashed(session, offset, length, writer, true, NULL, digest)
                            : status;
}
