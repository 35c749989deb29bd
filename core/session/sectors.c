/* Which sectors of a run have to be written: the board's digest of each beside ours. */
#include "inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

#define LONG_LATENCY (40 * US_PER_MS)
#define WHOLE_LATENCY (150 * US_PER_MS) /* three more round trips for hashing 1 MiB once less */

enum {
    SAMPLES = 4,
    SAMPLE_SECTORS = 4,
    SPREAD_SAMPLES = 16, /* at most, where one request asks for all */
    WORTH_SAMPLING = 64, /* sectors */
    SPREAD_STEP = 0x10,  /* from one value of WRY_FLAG_SPREAD to the next */
};

enum wry_status session_is_unsettled(struct wry_session *session, uint32_t offset, uint32_t length,
                                     bool *unsettled)
{
    const struct wry_keeper *keeper = session->config.keeper;
    enum wry_kept answer =
        keeper ? keeper->unsettled(keeper->context, offset, length) : WRY_KEPT_NO;

    *unsettled = answer == WRY_KEPT_YES;
    return answer == WRY_KEPT_UNKNOWN
               ? session_fail(session, WRY_KEEPER_FAILED, WRY_STEP_DIGEST, offset)
               : WRY_OK;
}

/* As many as fit one answer. */
static enum wry_status ask_sums(struct wry_session *session, uint32_t offset, uint32_t count,
                                uint64_t *sums)
{
    enum wry_status status =
        session_fetch_digest(session, offset, count * WRY_SECTOR_SIZE, WRY_FLAG_SECTORS);

    for (uint32_t i = 0; status == WRY_OK && i < count; i++)
        sums[i] = session_short_digest(session->cargo + (size_t)i * WRY_SECTOR_DIGEST_SIZE);
    return status;
}

/* An answer is one frame: on a line that loses long ones it has to be short. */
enum wry_status session_sector_sums(struct wry_session *session, uint32_t offset, uint32_t count,
                                    uint64_t *sums)
{
    bool clean = session->pace.untried && session->stats.frames_bad == 0;
    uint32_t most = clean ? WRY_PAYLOAD_MAX : session->pace.payload;
    enum wry_status status = WRY_OK;

    most /= WRY_SECTOR_DIGEST_SIZE;
    for (uint32_t done = 0; done < count && status == WRY_OK;) {
        uint32_t n = most < count - done ? most : count - done;
        status = ask_sums(session, offset + done * WRY_SECTOR_SIZE, n, sums + done);
        if (status == WRY_OK) {
            done += n;
        } else if (status == WRY_NO_ANSWER) {
            most = (n + 3) / 4;
            status = WRY_OK;
        }
    }
    return status;
}

enum wry_status wry_session_sector_sums(struct wry_session *session, uint32_t offset,
                                        uint32_t count, uint64_t *sums)
{
    session_begin_call(session);
    if (count == 0 || count > WRY_SESSION_SUMS_MAX || offset % WRY_SECTOR_SIZE != 0)
        return session_fail(session, WRY_BAD_ARGUMENT, WRY_STEP_DIGEST, offset);
    return session_sector_sums(session, offset, count, sums);
}

/*
 * A whole SHA-256 of each sector takes four times the bytes, and saves the board from hashing all
 * of it once more in the end. It is asked for where the line is quick and lets long answers
 * through.
 */
static bool whole_pays(const struct wry_session *session)
{
    return (session->board.features & WRY_FEATURE_WHOLE) != 0 &&
           session->speed >= WRY_STARTING_SPEED && session_latency(session) < WHOLE_LATENCY &&
           session->pace.untried && session->stats.frames_bad == 0;
}

/* What the board has just said of n sectors, digests of so many bytes each, beside ours. */
static enum wry_status compare(struct session_write *job, uint32_t offset, uint32_t n,
                               uint8_t flags, struct session_dirty *dirty)
{
    struct wry_session *session = job->session;
    const struct wry_known *known = session->config.known;
    size_t size = wry_digest_size(flags, WRY_SECTOR_SIZE);
    struct session_composed composed = {.job = job};
    struct wry_reader content = session_composed(&composed);
    uint8_t ours[WRY_SHA256_SIZE];
    enum wry_status status = WRY_OK;

    for (uint32_t i = 0; status == WRY_OK && i < n; i++) {
        uint32_t at = offset + i * wry_digest_stride(flags);
        bool unsettled = false;
        status = session_hash(session, &content, at, WRY_SECTOR_SIZE, ours);
        if (status == WRY_OK)
            status = session_is_unsettled(session, at, WRY_SECTOR_SIZE, &unsettled);
        if (unsettled || memcmp(ours, session->cargo + i * size, size) != 0)
            bits_add(dirty->bits, dirty->count);
        if (known)
            known->recognise(known->context, at, session->cargo + i * size, size);
        dirty->count++;
    }
    return status;
}

/* An answer is one frame: on a line that loses long ones it has to be short. */
enum wry_status session_find_dirty(struct session_write *job, uint32_t offset, uint32_t count,
                                   struct session_dirty *dirty)
{
    struct wry_session *session = job->session;
    bool clean = session->pace.untried && session->stats.frames_bad == 0;
    uint32_t room = clean ? WRY_PAYLOAD_MAX : session->pace.payload;
    uint8_t flags = whole_pays(session) ? WRY_FLAG_SECTORS | WRY_FLAG_WHOLE : WRY_FLAG_SECTORS;
    enum wry_status status = WRY_OK;

    memset(dirty, 0, sizeof *dirty);
    while (dirty->count < count && status == WRY_OK) {
        size_t size = wry_digest_size(flags, WRY_SECTOR_SIZE);
        uint32_t most = room / (uint32_t)size, left = count - dirty->count;
        uint32_t n = most < left ? most : left, at = offset + dirty->count * WRY_SECTOR_SIZE;
        status = session_fetch_digest(session, at, n * WRY_SECTOR_SIZE, flags);
        if (status == WRY_OK) {
            status = compare(job, at, n, flags, dirty);
        } else if (status == WRY_NO_ANSWER) {
            flags = WRY_FLAG_SECTORS;
            room = (n + 3) / 4 * WRY_SECTOR_DIGEST_SIZE;
            status = WRY_OK;
        }
    }
    job->proven &= (flags & WRY_FLAG_WHOLE) != 0;
    return status;
}

static bool all_dirty(const struct session_dirty *dirty)
{
    for (uint32_t i = 0; i < dirty->count; i++) {
        if (!bits_has(dirty->bits, i))
            return false;
    }
    return true;
}

uint8_t session_spread_flags(uint32_t length, uint32_t most)
{
    uint8_t flags = WRY_FLAG_SECTORS | SPREAD_STEP;

    while (wry_digest_size(flags, length) > (size_t)most * WRY_SECTOR_DIGEST_SIZE)
        flags += SPREAD_STEP;
    return flags;
}

/* Sectors evenly apart, by one request. */
static enum wry_status sample_spread(struct session_write *job, bool *looks_new)
{
    uint32_t length = job->run.end - job->run.start;
    uint8_t flags = session_spread_flags(length, SPREAD_SAMPLES);
    struct session_dirty dirty;

    memset(&dirty, 0, sizeof dirty);
    uint32_t n = (uint32_t)(wry_digest_size(flags, length) / WRY_SECTOR_DIGEST_SIZE);
    enum wry_status status = session_fetch_digest(job->session, job->run.start, length, flags);
    if (status == WRY_OK)
        status = compare(job, job->run.start, n, flags, &dirty);
    *looks_new = all_dirty(&dirty);
    return status;
}

enum wry_status session_looks_new(struct session_write *job, bool *looks_new)
{
    struct session_dirty dirty;
    uint32_t sectors = (job->run.end - job->run.start) / WRY_SECTOR_SIZE;
    enum wry_status status = WRY_OK;

    *looks_new = sectors >= WORTH_SAMPLING;
    if (*looks_new && (job->session->board.features & WRY_FEATURE_SPREAD)) {
        status = sample_spread(job, looks_new);
        if (status != WRY_NO_ANSWER)
            return status;
        *looks_new = true;
        status = WRY_OK;
    }
    /* Each sample costs a round trip. */
    uint32_t samples = session_latency(job->session) > LONG_LATENCY ? SAMPLES / 2 : SAMPLES;

    for (uint32_t i = 0; *looks_new && status == WRY_OK && i < samples; i++) {
        uint32_t first = (sectors - SAMPLE_SECTORS) / (samples - 1) * i;
        status = session_find_dirty(job, job->run.start + first * WRY_SECTOR_SIZE, SAMPLE_SECTORS,
                                    &dirty);
        *looks_new = all_dirty(&dirty);
    }
    return status;
}
