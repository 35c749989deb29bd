/*
 * Writes a plan span by span: reads the shared sectors, finds the sectors that differ, writes
 * those, and verifies the whole span.
 */
#include "session_inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

enum {
    /* correct sectors that are rewritten to avoid a further part, which would cost the time of
     * about two sectors */
    GAP_SECTORS = 2,
    HELLO_TRIES = 6,
};

static bool keep(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct wry_journal_sector *kept = context;

    memcpy(kept->bytes + (offset - kept->offset), bytes, n);
    return true;
}

/* Kept content must be right: it is read, and compared with the board's digest. */
static enum wry_status read_kept(struct wry_session *session, struct wry_journal_sector *kept,
                                 struct session_asked *after)
{
    struct wry_writer writer = {.context = kept, .write = keep};
    uint32_t start = kept->offset + kept->from, length = kept->to - kept->from;
    uint8_t ours[WRY_SHA256_SIZE], theirs[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    memset(kept->bytes, 0xFF, sizeof kept->bytes);
    enum wry_status status = session_read_hashed(session, start, length, &writer, after, theirs);
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, kept->bytes + kept->from, length);
    wry_sha256_end(&sha, ours);
    if (status != WRY_OK || memcmp(ours, theirs, sizeof ours) == 0)
        return status;
    return session_fail_range(session, WRY_CONTRADICTED, WRY_STEP_READ, start, length);
}

/* The samples of the span are requested with the last of them. */
static enum wry_status read_all_kept(struct session_write *job)
{
    struct wry_session *session = job->session;
    bool samples =
        !session->config.every_sector && (session->board.features & WRY_FEATURE_AFTER) != 0;
    enum wry_status status = WRY_OK;

    job->sample.sectors = 0;
    for (size_t i = 0; i < job->kept_count && status == WRY_OK; i++) {
        bool last = i + 1 == job->kept_count;
        if (last && samples)
            job->sample = session_sample_of(job);
        status = read_kept(session, &job->kept[i], job->sample.sectors > 0 ? &job->sample : NULL);
    }
    return status;
}

/* The next span, or as much of it as there is memory for its shared sectors. */
static bool next_span(struct session_write *job, uint32_t from)
{
    struct wry_session *session = job->session;
    bool lent = session->config.kept && session->config.kept_count >= 2;
    size_t most =
        lent ? session->config.kept_count : sizeof session->kept / sizeof session->kept[0];
    uint32_t start, end;

    if (!wry_plan_next_span(job->plan, from, &job->span))
        return false;
    job->kept = lent ? session->config.kept : session->kept;
    job->kept_count = 0;
    for (uint32_t at = job->span.start; at < job->span.end; at += WRY_SECTOR_SIZE) {
        if (!wry_plan_gap(job->plan, at, WRY_SECTOR_SIZE, &start, &end))
            continue;
        if (job->kept_count == most) {
            job->span.end = at;
            break;
        }
        struct wry_journal_sector *kept = &job->kept[job->kept_count++];
        kept->offset = at;
        kept->from = (uint16_t)((start - at) / WRY_PAGE_SIZE * WRY_PAGE_SIZE);
        kept->to = (uint16_t)((end - at + WRY_PAGE_SIZE - 1) / WRY_PAGE_SIZE * WRY_PAGE_SIZE);
    }
    return true;
}

static enum wry_status write_whole(struct session_write *job, uint32_t start, uint32_t end)
{
    if (start == end)
        return WRY_OK;
    job->part.start = start;
    job->part.end = end;
    return job->estimate ? session_estimate_part(job) : session_write_part(job);
}

/* The inner part refers to what stands behind it, so that comes last. */
static enum wry_status write_range(struct session_write *job, uint32_t start, uint32_t end)
{
    struct wry_span part = {.start = start, .end = end}, inner;

    if (!session_splits(job, &part, &inner))
        return write_whole(job, start, end);
    enum wry_status status = write_whole(job, start, inner.start);
    if (status == WRY_OK)
        status = write_whole(job, inner.start, inner.end);
    return status == WRY_OK ? write_whole(job, inner.end, end) : status;
}

static void leave(struct session_write *job, uint32_t sectors)
{
    job->done += sectors * (uint64_t)WRY_SECTOR_SIZE;
    job->session->stats.sectors_left += sectors;
}

/* The end of the part that begins at the dirty sector first; it includes small gaps. */
static uint32_t end_of_part(const uint8_t *dirty, uint32_t first, uint32_t count)
{
    uint32_t end = first + 1;

    for (uint32_t i = end; i < count && i - end <= GAP_SECTORS; i++) {
        if (bits_has(dirty, i))
            end = i + 1;
    }
    return end;
}

static enum wry_status write_dirty(struct session_write *job, uint32_t offset, uint32_t count,
                                   const uint8_t *dirty)
{
    enum wry_status status = WRY_OK;

    for (uint32_t at = 0; at < count && status == WRY_OK;) {
        if (!bits_has(dirty, at)) {
            leave(job, 1);
            at++;
            continue;
        }
        uint32_t end = end_of_part(dirty, at, count);
        job->ahead.sectors = 0; /* writing takes the place of digests requested in advance */
        status = write_range(job, offset + at * WRY_SECTOR_SIZE, offset + end * WRY_SECTOR_SIZE);
        at = end;
    }
    return status;
}

static enum wry_status write_what_differs(struct session_write *job)
{
    struct session_dirty dirty;
    enum wry_status status = WRY_OK;

    for (uint32_t at = job->span.start; at < job->span.end && status == WRY_OK;) {
        uint32_t left = (job->span.end - at) / WRY_SECTOR_SIZE;
        uint32_t count = left < SESSION_PIECE_SECTORS ? left : SESSION_PIECE_SECTORS;
        status = session_find_dirty(job, at, count, job->span.end, &dirty);
        if (status == WRY_OK) {
            session_merge(job, at, count, dirty.bits);
            status = write_dirty(job, at, count, dirty.bits);
        }
        at += count * WRY_SECTOR_SIZE;
        if (status == WRY_OK)
            status = session_report(job->session, WRY_STEP_WRITE, at, job->done, job->total);
    }
    return status;
}

/* Sectors left alone may have been compared by short digests only; the result is verified by full
 * SHA-256. */
static enum wry_status check_span(struct session_write *job)
{
    struct wry_session *session = job->session;
    uint32_t length = job->span.end - job->span.start;
    uint8_t ours[WRY_SHA256_SIZE], theirs[WRY_SHA256_SIZE];
    struct session_composed composed = {.job = job};
    struct wry_reader content = session_composed(&composed);
    enum wry_status status = session_digest(session, job->span.start, length, theirs);

    if (status != WRY_OK)
        return status;
    status = session_hash(session, &content, job->span.start, length, ours);
    if (status != WRY_OK || memcmp(ours, theirs, sizeof ours) == 0)
        return status;
    return session_fail_range(session, WRY_DIFFERS, WRY_STEP_WRITE, job->span.start, length);
}

static enum wry_status write_span(struct session_write *job)
{
    struct wry_session *session = job->session;
    uint32_t left_before = session->stats.sectors_left;
    bool whole = session->config.every_sector;
    enum wry_status status = read_all_kept(job);

    job->proven = true;
    if (status == WRY_OK && !whole)
        status = session_looks_new(job, &whole);
    if (status == WRY_OK)
        status = whole ? write_range(job, job->span.start, job->span.end) : write_what_differs(job);
    if (status == WRY_OK && session->stats.sectors_left > left_before && !job->proven &&
        !job->estimate)
        status = check_span(job);
    return status;
}

/* The first offset of the span beyond half of the flash; 0 if there is none. */
static uint32_t beyond_half(const struct session_write *job)
{
    uint32_t half = job->session->board.capacity / 2;

    if (job->span.end <= half ||
        (job->session->config.trust_capacity && job->session->board.size_from != WRY_SIZE_TOLD))
        return 0;
    return job->span.start > half ? job->span.start : half;
}

static enum wry_status write_within_capacity(struct session_write *job)
{
    struct wry_session *session = job->session;
    uint32_t beyond = beyond_half(job);
    bool blank = true;
    uint8_t page[WRY_PAGE_SIZE];
    enum wry_status status = WRY_OK;

    if (beyond > 0 && !session->capacity_checked)
        status = session_check_capacity(session, beyond, job->span.end);
    if (status == WRY_OK)
        status = write_span(job);
    if (status != WRY_OK || beyond == 0 || session->capacity_checked || job->estimate)
        return status;
    for (uint32_t i = 0; i < WRY_SECTOR_SIZE && blank; i += sizeof page) {
        if (!session_compose(job, beyond + i, page, sizeof page))
            return session_fail(session, WRY_SOURCE_FAILED, WRY_STEP_DIGEST, beyond + i);
        blank = wry_bytes_blank(page, sizeof page);
    }
    return blank ? WRY_OK : session_check_echo(session, beyond);
}

static uint64_t sectors_total(const struct wry_plan *plan)
{
    struct wry_span span;
    uint64_t total = 0;

    for (uint32_t from = 0; wry_plan_next_span(plan, from, &span); from = span.end)
        total += span.end - span.start;
    return total;
}

/* No span may touch the protected range. */
static enum wry_status check_protection(struct wry_session *session, const struct wry_plan *plan)
{
    uint32_t offset;
    uint32_t length = wry_protected_range(session->board.protect, session->board.capacity, &offset);
    struct wry_span span;

    if (session->config.clear_protection && (session->board.features & WRY_FEATURE_CLEAR) != 0)
        return WRY_OK;
    if (length == 0 || !wry_plan_next_span(plan, offset, &span) || span.start >= offset + length)
        return WRY_OK;
    return session_fail_range(session, WRY_PROTECTED, WRY_STEP_WRITE, offset, length);
}

/* If sectors cannot be erased alone, an erase would also destroy neighbours that were not kept. */
static enum wry_status check_limit(struct wry_session *session)
{
    const struct wry_hello_reply *board = &session->board;

    if (board->flash_limit == WRY_FLASH_FULL)
        return WRY_OK;
    session_fail(session, WRY_FLASH_LIMITED, WRY_STEP_WRITE, 0);
    session->fault.found = board->flash_limit;
    session->fault.expected = board->erase_least;
    return WRY_FLASH_LIMITED;
}

/* A job that an earlier call has left behind would wait for its content for ever, and digests of
 * its range with it. */
static enum wry_status end_earlier_job(struct wry_session *session)
{
    enum wry_status status = session->running ? session_hello(session, HELLO_TRIES) : WRY_OK;

    if (session_may_recover(session, status))
        status = session_recover(session, WRY_STEP_WRITE);
    if (status != WRY_OK || !session->running)
        return status;
    session->config.token++;
    return session_hello(session, HELLO_TRIES);
}

static enum wry_status walk(struct wry_session *session, const struct wry_plan *plan,
                            const struct wry_estimate_sink *estimate)
{
    struct session_write job = {
        .session = session, .plan = plan, .estimate = estimate, .total = sectors_total(plan)};

    if (plan->flash_size > session->board.capacity)
        return session_fail(session, WRY_BAD_ARGUMENT, WRY_STEP_WRITE, 0);
    enum wry_status status = check_limit(session);
    if (status == WRY_OK)
        status = check_protection(session, plan);
    session->stats.sectors_written = session->stats.sectors_left = 0;
    session->sector_time = 0;
    if (status == WRY_OK)
        status = end_earlier_job(session);
    if (status == WRY_OK)
        status = session_report(session, WRY_STEP_WRITE, 0, 0, job.total);
    for (uint32_t from = 0; status == WRY_OK && next_span(&job, from); from = job.span.end)
        status = write_within_capacity(&job);
    if (status != WRY_OK && status != WRY_LINK_LOST)
        session_abandon(session);
    return status;
}

enum wry_status session_write(struct wry_session *session, const struct wry_plan *plan)
{
    return walk(session, plan, NULL);
}

enum wry_status wry_session_write(struct wry_session *session, const struct wry_plan *plan)
{
    session_begin_call(session);
    return session_write(session, plan);
}

enum wry_status wry_session_estimate(struct wry_session *session, const struct wry_plan *plan,
                                     const struct wry_estimate_sink *sink)
{
    session_begin_call(session);
    return walk(session, plan, sink);
}
