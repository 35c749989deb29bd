/*
 * Writes one part of a span: requests the erase and the following digest, sends the content, and
 * compares the digests. If that fails, it resumes, or repeats the part in a simpler coding.
 */
#include "session_inner.h"

#include "bytes/memory.h"

enum {
    HELLO_TRIES = 6,
    REPLY_SIZE = 64, /* bytes of a short reply on the line */
    RESTARTS = 20,   /* restarts of one part without progress, after lost links or resets */
};

/* Scans until something is not blank; scanned content is hashed. */
static enum wry_status find_content(struct session_write *job)
{
    struct wry_session *session = job->session;
    struct wry_session_window *window = &session->window;
    uint8_t page[WRY_PAGE_SIZE];
    enum wry_status status = WRY_OK;

    job->erases = true;
    for (uint32_t at = job->part.start; at < job->part.end && status == WRY_OK; at += sizeof page) {
        if (!session_compose(job, at, page, sizeof page))
            return session_fail(session, WRY_SOURCE_FAILED, WRY_STEP_WRITE, at);
        job->erases = wry_bytes_blank(page, sizeof page);
        if (!job->erases)
            break;
        wry_sha256_add(&window->sha, page, sizeof page);
        window->hashed = at + (uint32_t)sizeof page;
        status = session_heartbeat(session);
    }
    return status;
}

/* The initial window is in the hello reply. */
static void open_window(struct wry_session *session, bool old)
{
    struct wry_session_window *window = &session->window;
    uint32_t left = window->end - window->start;
    uint32_t most = old ? session->board.old_window : session->board.window;

    window->limit = window->start + (left < most ? left : most);
}

/* force: also erases sectors that read as blank, since an erase may have been interrupted there. */
static enum wry_status begin_part(struct session_write *job, bool force)
{
    struct wry_session *session = job->session;
    struct session_request *request = &job->request;
    struct wry_message reply;
    uint8_t flags =
        (force ? WRY_FLAG_FORCE : 0) | (session->config.clear_protection ? WRY_FLAG_CLEAR : 0);
    struct wry_erase_message erase = {
        .range = {.offset = job->part.start, .length = job->part.end - job->part.start}};

    session_window_begin(&session->window, &job->part);
    enum wry_status status = find_content(job);
    if (status != WRY_OK)
        return status;
    flags |= job->erases ? 0 : WRY_FLAG_PROGRAM;
    session_stream_begin(job, &erase);
    if (session->stopped) /* before anything is erased */
        return WRY_STOPPED;
    if (job->coding != 0) {
        flags |= WRY_FLAG_STREAM | (job->down ? WRY_FLAG_DOWN : 0);
        session_stream_window(&session->window);
    }
    request->seq = session_next_seq(session);
    request->length = wry_message_put_erase(request->head, flags, request->seq, &erase);
    job->erased = job->programmed = job->received = job->part.start;
    /* While an earlier job may go on, content would be taken for its own. */
    request->open = !job->erases && !session->running;
    session->running = true;
    if (request->open)
        status = session_send(session, request->head, request->length, NULL, 0);
    else
        status = session_exchange(session, request->head, request->length, 6, &reply);
    request->overdue = session_answer_deadline(session, REPLY_SIZE);
    session->progress_fresh = false;
    if (status == WRY_OK)
        status = session_follow_part(job);
    if (!job->erases)
        open_window(session, wry_coding_needs_old(job->coding));
    return status;
}

static enum wry_status check_part(struct session_write *job)
{
    struct wry_session *session = job->session;
    uint32_t length = job->part.end - job->part.start;
    struct wry_sha256 sha = session->window.sha;
    struct session_composed composed = {.job = job};
    struct wry_reader content = session_composed(&composed);
    uint8_t ours[WRY_SHA256_SIZE];
    enum wry_status status =
        session_await_digest(session, job->part.start, length, 0, job->digest_seq);

    if (status != WRY_OK)
        return status;
    wry_sha256_end(&sha, ours);
    /* An encoder may read in any order: what it did not read in order is hashed now. */
    if (session->window.hashed != job->part.end)
        status = session_hash(session, &content, job->part.start, length, ours);
    if (status != WRY_OK)
        return status;
    if (memcmp(ours, session->cargo, sizeof ours) != 0)
        return session_fail_range(session, WRY_DIFFERS, WRY_STEP_WRITE, job->part.start, length);
    return WRY_OK;
}

/* The board cannot decode the stream, has all of it and still waits, or has other old content than
 * assumed. */
static bool stream_is_bad(const struct session_write *job, enum wry_status status)
{
    const struct wry_session *session = job->session;
    const struct wry_session_window *window = &session->window;

    return (status == WRY_REFUSED && session->fault.found == WRY_ERROR_BAD_STREAM) ||
           (status == WRY_STALLED && window->received == window->end) ||
           (status == WRY_DIFFERS && wry_coding_needs_old(job->coding));
}

/* Falls back to a stream without old content, then to pages. */
static enum wry_status do_without(struct session_write *job)
{
    struct wry_session *session = job->session;

    session_forget_choices(job);
    if (wry_coding_needs_old(job->coding)) {
        job->without_old = true;
        session->stats.guesses_wrong++;
    } else {
        job->as_pages = true;
    }
    session->config.token++; /* ends the job: the board may still wait for its rest */
    return session_hello(session, HELLO_TRIES);
}

static void forget_old(struct session_write *job, uint32_t start, uint32_t end)
{
    const struct wry_known *known = job->session->config.known;

    session_forget_choices(job);
    if (known)
        known->forget(known->context, start, end - start);
}

/* Bytes that the board has completed. */
static uint32_t reached(const struct session_write *job)
{
    const struct wry_session_window *window = &job->session->window;
    uint32_t before = (job->part.start - job->whole.start) + (job->whole.end - job->part.end);

    return before +
           (job->erases ? job->erased - job->part.start : window->received - window->start);
}

/*
 * Reduces the part to what a board that lost its job has not programmed; programmed pages were read
 * back. Old content may be erased up to one block beyond.
 */
static void shorten(struct session_write *job)
{
    uint32_t mark = job->erases ? job->erased : job->programmed;
    uint32_t done = mark - mark % WRY_SECTOR_SIZE;
    uint32_t doubtful = job->erased - job->erased % SESSION_ERASE_MOST + SESSION_ERASE_MOST;

    forget_old(job, job->part.start, doubtful < job->part.end ? doubtful : job->part.end);
    job->part.start = done < job->part.end ? done : job->part.end - WRY_SECTOR_SIZE;
}

/* The same from the end down: what is left lies below. */
static void shorten_down(struct session_write *job)
{
    uint32_t done = job->programmed - job->part.start, erased = job->erased - job->part.start;
    uint32_t end = job->part.end - (done - done % WRY_SECTOR_SIZE);
    uint32_t low = job->part.end - erased;
    uint32_t doubtful = low > SESSION_ERASE_MOST ? (low - 1) / SESSION_ERASE_MOST : 0;

    doubtful *= SESSION_ERASE_MOST;
    if (doubtful < job->part.start)
        doubtful = job->part.start;
    forget_old(job, doubtful, job->part.end);
    job->part.end = end > job->part.start ? end : job->part.start + WRY_SECTOR_SIZE;
}

/* Verifies a completed stretch by the board's digest. */
static enum wry_status check_stretch(struct session_write *job, uint32_t start, uint32_t end)
{
    struct wry_session *session = job->session;
    struct session_composed composed = {.job = job, .start = start};
    struct wry_reader content = session_composed(&composed);
    uint8_t ours[WRY_SHA256_SIZE] = {0}, theirs[WRY_SHA256_SIZE];

    if (start == end)
        return WRY_OK;
    enum wry_status status = session_digest(session, start, end - start, theirs);
    if (status == WRY_OK)
        status = session_hash(session, &content, 0, end - start, ours);
    return status == WRY_OK && memcmp(ours, theirs, sizeof ours) != 0 ? WRY_DIFFERS : status;
}

/* Verifies what was completed before and after what is left of the part. */
static enum wry_status check_done(struct session_write *job)
{
    enum wry_status status = check_stretch(job, job->whole.start, job->part.start);

    return status == WRY_OK ? check_stretch(job, job->part.end, job->whole.end) : status;
}

/* One attempt: begins the part if necessary, sends and verifies it. */
static enum wry_status try_part(struct session_write *job, bool *begun, bool force)
{
    enum wry_status status = *begun ? WRY_OK : begin_part(job, force);

    if (status == WRY_OK) {
        status = session_send_part(job);
        *begun = !job->request.open;
    }
    return status == WRY_OK ? check_part(job) : status;
}

/* Transfers the part. After a lost link it resumes where the board is. */
static enum wry_status transfer(struct session_write *job, bool force)
{
    struct wry_session *session = job->session;
    uint32_t furthest = 0;
    bool begun = false, lost = false;

    for (unsigned i = 0;; i++) {
        enum wry_status status = try_part(job, &begun, force || lost);
        if (status == WRY_OK) {
            status = check_done(job);
            if (status == WRY_DIFFERS && i < RESTARTS) { /* then repeats all of it */
                job->part = job->whole;
                begun = false;
                continue;
            }
        }
        /* A board that keeps restarting gets no further than before. */
        if (begun && reached(job) > furthest) {
            furthest = reached(job);
            i = 0;
        }
        if (session->window.is_stream && stream_is_bad(job, status) && !job->as_pages) {
            begun = false;
            status = do_without(job);
            if (status != WRY_OK)
                return status;
            continue;
        }
        bool busy = status == WRY_REFUSED && session->fault.found == WRY_ERROR_BUSY;
        if ((!busy && !session_may_recover(session, status)) || i == RESTARTS)
            return status;
        lost = true;
        /* The request was accepted but its answer lost: begins again. */
        if (busy)
            session->config.token++;
        status = session_recover(session, WRY_STEP_WRITE);
        if (status != WRY_OK)
            return status;
        bool stands = session->continued && session->progress.job != WRY_JOB_NONE;
        if (begun && !stands && job->down)
            shorten_down(job);
        else if (begun && !stands)
            shorten(job);
        begun = begun && stands;
    }
}

/* Stores the shared sectors of the part. */
static bool keep(struct session_write *job)
{
    const struct wry_journal *journal = job->session->config.journal;
    struct session_composed composed = {.job = job, .start = job->part.start};
    struct wry_reader intended = session_composed(&composed);
    size_t count;
    const struct wry_journal_sector *kept =
        session_kept_within(job, job->part.start, job->part.end, &count);

    return !journal || journal->begin(journal->context, &job->part, kept, count, &intended);
}

/* The written content stays even if the journal fails: the next job recovers the entry. */
static void forget(struct session_write *job)
{
    const struct wry_journal *journal = job->session->config.journal;

    if (journal && !journal->end(journal->context, &job->part))
        job->session->stats.not_forgotten++;
}

enum wry_status session_write_part(struct session_write *job)
{
    struct wry_session *session = job->session;
    uint32_t length = job->part.end - job->part.start;
    bool forced;

    if (session->stopped) /* while the way was chosen */
        return WRY_STOPPED;
    enum wry_status status = session_is_unsettled(session, job->part.start, length, &forced);

    if (status == WRY_OK && !keep(job))
        status = session_fail(session, WRY_JOURNAL_FAILED, WRY_STEP_JOURNAL, job->part.start);
    job->whole = job->part;
    if (status == WRY_OK)
        status = transfer(job, forced);
    job->part = job->whole;
    forget_old(job, job->part.start, job->part.end);
    if (status != WRY_OK)
        return status;
    job->done += length;
    session->stats.differences += wry_coding_needs_old(job->coding);
    session->stats.sectors_written += length / WRY_SECTOR_SIZE;
    forget(job);
    return WRY_OK;
}
