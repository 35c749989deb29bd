/*
 * Compares a placement with the flash. The board's SHA-256 decides; only if it differs are sector
 * digests requested, and only differing sectors are read.
 */
#include "session_inner.h"

#include "bytes/memory.h"

struct verify_job {
    struct wry_session *session;
    const struct wry_placement *placement;
    const struct wry_difference_sink *sink;
    uint32_t at, length; /* the current difference; length 0 = none */
    uint8_t expected, found;
    uint32_t first; /* offset of the first difference */
    uint64_t bytes;
};

/* Reads the placement by flash offset. */
static bool read_source(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct verify_job *job = context;
    const struct wry_placement *p = job->placement;

    return p->reader.read(p->reader.context, offset - p->offset, to, n);
}

static void tell(struct verify_job *job)
{
    if (job->length > 0 && job->sink)
        job->sink->difference(job->sink->context, job->at, job->length, job->expected, job->found);
    job->length = 0;
}

static void note_byte(struct verify_job *job, uint32_t offset, uint8_t expected, uint8_t found)
{
    if (job->length > 0 && job->at + job->length == offset) {
        job->length++;
    } else {
        tell(job);
        job->at = offset;
        job->length = 1;
        job->expected = expected;
        job->found = found;
    }
    if (job->bytes++ == 0 || offset < job->first)
        job->first = offset;
}

/* Receives flash content and compares it with the placement. */
static bool compare(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct verify_job *job = context;
    uint8_t piece[WRY_PAGE_SIZE];

    for (size_t done = 0; done < n; done += sizeof piece) {
        size_t length = n - done < sizeof piece ? n - done : sizeof piece;
        uint32_t at = offset + (uint32_t)done;
        if (!read_source(job, at, piece, length))
            return false;
        for (size_t i = 0; i < length; i++) {
            if (piece[i] != bytes[done + i])
                note_byte(job, at + (uint32_t)i, piece[i], bytes[done + i]);
        }
    }
    return true;
}

static enum wry_status source_failed(struct verify_job *job, uint32_t offset)
{
    return session_fail(job->session, WRY_SOURCE_FAILED, WRY_STEP_DIGEST, offset);
}

static enum wry_status read_and_compare(struct verify_job *job, uint32_t offset, uint32_t length)
{
    struct wry_writer writer = {.context = job, .write = compare};
    enum wry_status status =
        length > 0 ? session_read(job->session, offset, length, &writer) : WRY_OK;

    return status == WRY_SINK_FAILED ? source_failed(job, job->session->fault.offset) : status;
}

/* Sectors that are blank by their digest need not be read. */
static enum wry_status compare_with_blank(struct verify_job *job, uint32_t offset, uint32_t length)
{
    uint8_t page[WRY_PAGE_SIZE];

    memset(page, 0xFF, sizeof page);
    for (uint32_t i = 0; i < length; i += sizeof page) {
        if (!compare(job, offset + i, page, sizeof page))
            return source_failed(job, offset + i);
    }
    return WRY_OK;
}

/* Compares as many whole sectors as one answer covers, and reads ranges that differ. */
static enum wry_status compare_sectors(struct verify_job *job, uint32_t offset, uint32_t count)
{
    struct wry_session *session = job->session;
    struct wry_reader content = {.context = job, .read = read_source}, blank = wry_reader_blank();
    uint64_t sums[WRY_SESSION_SUMS_MAX];
    uint64_t sum = 0, blank_sum = 0;
    uint32_t from = offset; /* from here to at: differing sectors to be read */
    uint32_t at = offset;
    bool all_blank = true; /* whether all of those are blank */
    enum wry_status status = session_sector_sums(session, offset, count, sums);

    if (status == WRY_OK)
        status = session_sector_sum(session, &blank, 0, &blank_sum);
    for (uint32_t i = 0; i <= count && status == WRY_OK; i++, at += WRY_SECTOR_SIZE) {
        if (i < count)
            status = session_sector_sum(session, &content, at, &sum);
        if (status != WRY_OK)
            return status;
        if (i < count && sum != sums[i]) {
            all_blank = all_blank && sums[i] == blank_sum;
            continue;
        }
        status = all_blank ? compare_with_blank(job, from, at - from)
                           : read_and_compare(job, from, at - from);
        from = at + WRY_SECTOR_SIZE;
        all_blank = true;
    }
    return status;
}

static enum wry_status find_differences(struct verify_job *job)
{
    uint32_t at = job->placement->offset;
    uint32_t end = at + job->placement->length;
    uint32_t to_boundary = (WRY_SECTOR_SIZE - at % WRY_SECTOR_SIZE) % WRY_SECTOR_SIZE;
    uint32_t head = to_boundary < end - at ? to_boundary : end - at;
    enum wry_status status = read_and_compare(job, at, head);

    at += head;
    while (status == WRY_OK && end - at >= WRY_SECTOR_SIZE) {
        uint32_t count = (end - at) / WRY_SECTOR_SIZE;
        count = count < WRY_SESSION_SUMS_MAX ? count : WRY_SESSION_SUMS_MAX;
        status = compare_sectors(job, at, count);
        at += count * WRY_SECTOR_SIZE;
    }
    return status == WRY_OK ? read_and_compare(job, at, end - at) : status;
}

/* *same is true if the board's digest of the placement matches. */
static enum wry_status compare_digests(struct verify_job *job, bool *same)
{
    const struct wry_placement *p = job->placement;
    struct wry_reader content = {.context = job, .read = read_source};
    uint8_t ours[WRY_SHA256_SIZE] = {0}, theirs[WRY_SHA256_SIZE];
    enum wry_status status = session_digest(job->session, p->offset, p->length, theirs);

    if (status == WRY_OK)
        status = session_hash(job->session, &content, p->offset, p->length, ours);
    *same = status == WRY_OK && memcmp(ours, theirs, sizeof ours) == 0;
    return status;
}

static enum wry_status look(struct verify_job *job, enum wry_verify_method method, bool *same)
{
    const struct wry_placement *p = job->placement;
    enum wry_status status = WRY_OK;

    *same = false;
    if (method == WRY_VERIFY_DIGEST)
        status = compare_digests(job, same);
    if (status != WRY_OK || *same)
        return status;
    status = method == WRY_VERIFY_DIGEST ? find_differences(job)
                                         : read_and_compare(job, p->offset, p->length);
    tell(job);
    if (status != WRY_OK || job->bytes > 0)
        return status;
    /* The digests differed, but all bytes agree. */
    *same = method == WRY_VERIFY_READ_BACK;
    return *same ? WRY_OK
                 : session_fail_range(job->session, WRY_CONTRADICTED, WRY_STEP_DIGEST, p->offset,
                                      p->length);
}

enum wry_status wry_session_verify(struct wry_session *session,
                                   const struct wry_placement *placement,
                                   enum wry_verify_method method,
                                   const struct wry_difference_sink *sink)
{
    struct verify_job job = {.session = session, .placement = placement, .sink = sink};
    bool same = false;

    session_begin_call(session);
    enum wry_status status = look(&job, method, &same);
    if (status != WRY_OK || same)
        return status;
    session_fail_range(session, WRY_DIFFERS, WRY_STEP_DIGEST, job.first, placement->length);
    session->fault.found = job.bytes;
    return WRY_DIFFERS;
}
