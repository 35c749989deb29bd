/*
 * Sends the content of one part through the window, as pages or as a stream, until the board has
 * programmed all of it.
 */
#include "session_inner.h"

#include "bytes/memory.h"

#define QUIET_TIME (500 * US_PER_MS)

enum {
    MISSED_PROBES = 10,
    INPUT_FRAMES = 64,   /* most frames processed at once */
    PROGRESS_SIZE = 100, /* bytes of a progress message on the line, escapes included */
};

/* Pages are hashed when they are first sent, which happens in order. */
static void hash_once(struct wry_session *session, const uint8_t *bytes, uint32_t offset,
                      uint32_t length)
{
    struct wry_session_window *window = &session->window;
    uint32_t end = offset + length;

    if (end <= window->hashed)
        return;
    uint32_t skip = window->hashed - offset;
    wry_sha256_add(&window->sha, bytes + skip, length - skip);
    window->hashed = end;
}

/* Length of the blank range from offset on, within what may be sent. */
static uint32_t blank_length(struct session_write *job, uint32_t offset, uint32_t length)
{
    uint8_t page[WRY_PAGE_SIZE];

    while (session_window_unsent(&job->session->window, offset + length) &&
           session_compose(job, offset + length, page, sizeof page) &&
           wry_bytes_blank(page, sizeof page)) {
        hash_once(job->session, page, offset + length, WRY_PAGE_SIZE);
        length += WRY_PAGE_SIZE;
    }
    return length;
}

/* Sends blank content as a few bytes. */
static void look_for_blank(struct session_write *job, struct wry_data_message *data)
{
    if (!wry_bytes_blank(data->payload, data->length) ||
        !(job->session->board.encodings & 1u << WRY_ENCODING_BLANK))
        return;
    data->encoding = WRY_ENCODING_BLANK;
    data->length = blank_length(job, data->offset, data->length);
    data->payload_length = 0;
}

static enum wry_status send_data(struct session_write *job, uint32_t offset, uint32_t length)
{
    struct wry_session *session = job->session;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    uint16_t seq = session_next_seq(session);

    session->digest_fresh = false; /* the payload has overwritten it */
    struct wry_data_message data = {
        .offset = offset, .length = length, .payload = session->cargo, .payload_length = length};
    if (session->window.is_stream) {
        data.encoding = WRY_ENCODING_STREAM;
        session_stream_take(session, offset, session->cargo, length);
    } else if (!session_compose(job, offset, session->cargo, length)) {
        return session_fail(session, WRY_SOURCE_FAILED, WRY_STEP_WRITE, offset);
    } else {
        hash_once(session, session->cargo, offset, length);
        look_for_blank(job, &data);
        length = data.length;
    }
    size_t n = wry_message_put_data(head, WRY_KIND_DATA, seq, &data);
    session_window_sent(session, offset, length, seq);
    session->stats.content_sent += data.payload_length;
    return session_send(session, head, n, data.payload, data.payload_length);
}

enum wry_status session_follow_part(struct session_write *job)
{
    return session_ask_digest(job->session, job->part.start, job->part.end - job->part.start, 0,
                              &job->digest_seq);
}

/* What arrives while the request is open: its answer, or something of earlier jobs. */
static enum wry_status take_answer(struct session_write *job, const struct wry_message *message)
{
    struct wry_error_message error;

    if (message->seq != job->request.seq)
        return WRY_OK;
    if (message->kind == WRY_KIND_ERROR && wry_message_get_error(message, &error))
        return session_refused(job->session, WRY_STEP_NONE, error.code, error.offset);
    if (message->kind != (WRY_KIND_ERASE | WRY_KIND_REPLY))
        return WRY_OK;
    job->request.open = false;
    job->session->progress_fresh = false;
    return WRY_OK;
}

/*
 * A board that has taken the first digest request but not the erase request has the digest of what
 * was there before, and would send that once more. It forgets it when another digest is asked for.
 */
static enum wry_status follow_again(struct session_write *job)
{
    uint16_t ignored;
    enum wry_status status = session_ask_digest(job->session, job->part.start, WRY_SECTOR_SIZE,
                                                WRY_FLAG_SECTORS, &ignored);

    return status == WRY_OK ? session_follow_part(job) : status;
}

/* Sends the request again if its answer is overdue. The board has ignored content before it. */
static enum wry_status request_again(struct session_write *job)
{
    struct wry_session *session = job->session;
    struct session_request *request = &job->request;

    if (!request->open || session_now(session) < request->overdue)
        return WRY_OK;
    if (++job->missed > MISSED_PROBES)
        return session_fail(session, WRY_LINK_LOST, WRY_STEP_WRITE, job->part.start);
    session_window_forget(&session->window);
    enum wry_status status = session_send(session, request->head, request->length, NULL, 0);
    if (status == WRY_OK)
        status = follow_again(job);
    request->overdue = session_answer_deadline(session, PROGRESS_SIZE);
    return status;
}

/* Processes everything that has arrived, waiting for the first frame until the deadline. */
static enum wry_status take_input(struct session_write *job, uint64_t deadline)
{
    struct wry_session *session = job->session;
    struct wry_message message;
    struct wry_error_message error;
    bool got = true;

    for (unsigned i = 0; got && i < INPUT_FRAMES; i++) {
        enum wry_status status = session_receive(session, deadline, &message, &got);
        if (status != WRY_OK)
            return status;
        if (got && job->request.open)
            status = take_answer(job, &message);
        else if (got && message.kind == WRY_KIND_ERROR && wry_message_get_error(&message, &error) &&
                 error.of_kind == WRY_KIND_DATA)
            status = session_refused(session, WRY_STEP_WRITE, error.code, error.offset);
        if (status != WRY_OK)
            return status;
        deadline = 0;
    }
    return WRY_OK;
}

/* Rejects values that no board could report; the window has checked received and limit. */
static bool marks_are_sane(const struct session_write *job,
                           const struct wry_progress_message *progress)
{
    uint32_t start = job->part.start, end = job->part.end;

    return progress->erased >= start && progress->erased <= end && progress->programmed >= start &&
           progress->programmed <= progress->erased &&
           (job->session->window.is_stream || progress->programmed <= progress->received);
}

/* Without this, a peer that answers forever without progress would be waited for without end. */
static void note_marks(struct session_write *job, const struct wry_progress_message *progress)
{
    if (progress->erased > job->erased || progress->programmed > job->programmed ||
        progress->received > job->received)
        session_advanced(job->session);
    job->erased = progress->erased;
    job->programmed = progress->programmed;
    job->received = progress->received;
}

/* Processes the latest progress message. *over: the part is complete. */
static enum wry_status apply_progress(struct session_write *job, bool *over)
{
    struct wry_session *session = job->session;
    const struct wry_progress_message *progress = &session->progress;

    if (!session->progress_fresh)
        return WRY_OK;
    session->progress_fresh = false;
    if (job->request.open)
        return WRY_OK;
    if (progress->job == WRY_JOB_FAILED) {
        session->running = false;
        return session_refused(session, WRY_STEP_WRITE, progress->error, progress->error_offset);
    }
    if (progress->job == WRY_JOB_NONE)
        return session_fail(session, WRY_LINK_LOST, WRY_STEP_WRITE, job->part.start);
    if (!session_window_note(session, progress) || !marks_are_sane(job, progress))
        return WRY_OK;
    job->missed = 0;
    note_marks(job, progress);
    uint32_t mark = job->erases ? progress->erased : progress->programmed;
    bool all_here = job->erases || session->window.is_stream || progress->received == job->part.end;
    *over = progress->job == WRY_JOB_DONE && mark == job->part.end && all_here;
    session->running &= !*over;
    uint32_t before = (job->part.start - job->whole.start) + (job->whole.end - job->part.end);
    return session_report(session, WRY_STEP_WRITE, mark,
                          job->done + before + (mark - job->part.start), job->total);
}

/* Everything allowed has been sent: waits for the board, and requests its status now and then. */
static enum wry_status wait_for_board(struct session_write *job, uint64_t *probe_at)
{
    struct wry_session *session = job->session;
    const struct session_request *request = &job->request;
    bool sooner = request->open && request->overdue < *probe_at;
    enum wry_status status = take_input(job, sooner ? request->overdue : *probe_at);

    if (session->progress_fresh)
        *probe_at = session_answer_deadline(session, PROGRESS_SIZE);
    if (status != WRY_OK || session_now(session) < *probe_at)
        return status;
    if (++job->missed > MISSED_PROBES)
        return session_fail(session, WRY_LINK_LOST, WRY_STEP_WRITE, session->window.received);
    status = session_ask_status(session);
    *probe_at = session_answer_deadline(session, PROGRESS_SIZE);
    return status;
}

static enum wry_status check_pace(struct session_write *job)
{
    struct wry_session *session = job->session;
    bool changed;
    enum wry_status status = session_pace_judge(session, WRY_STEP_WRITE, &changed);

    return status == WRY_OK ? session_check_advance(session, WRY_STEP_WRITE, job->programmed)
                            : status;
}

/*
 * A board that receives no good frame sends nothing. At low speeds a full window takes long, so its
 * status is requested on the way: frames that are too long for the noise are noticed early.
 */
static enum wry_status ask_when_quiet(struct wry_session *session, uint64_t *since)
{
    uint64_t now = session_now(session);
    uint64_t frames = 2 * session_line_time(session, WRY_FRAME_WORST(WRY_BODY_MAX));

    if (!session->progress_fresh && now < *since + QUIET_TIME + frames)
        return WRY_OK;
    *since = now;
    return session->progress_fresh ? WRY_OK : session_ask_status(session);
}

enum wry_status session_send_part(struct session_write *job)
{
    struct wry_session *session = job->session;
    uint64_t probe_at = session_answer_deadline(session, PROGRESS_SIZE);
    uint64_t quiet_since = session_now(session);
    uint32_t offset, length;
    bool over = false;
    enum wry_status status = WRY_OK;

    job->missed = 0;
    session_advanced(session);
    while (status == WRY_OK && !over) {
        if (session->window.is_stream)
            status = session_stream_fill(job);
        if (status != WRY_OK)
            break;
        if (session_window_next(session, &offset, &length)) {
            status = send_data(job, offset, length);
            if (status == WRY_OK)
                status = take_input(job, 0);
            if (status == WRY_OK)
                status = ask_when_quiet(session, &quiet_since);
            probe_at = session_answer_deadline(session, PROGRESS_SIZE);
        } else if (session->line_free_at <= session_now(session) &&
                   session_window_again(session, &offset)) {
            status = send_data(job, offset, WRY_PAGE_SIZE);
            if (status == WRY_OK)
                status = take_input(job, 0);
        } else {
            status = wait_for_board(job, &probe_at);
        }
        if (status == WRY_OK)
            status = request_again(job);
        if (status == WRY_OK)
            status = apply_progress(job, &over);
        if (status == WRY_OK && !over)
            status = check_pace(job);
    }
    return status;
}
