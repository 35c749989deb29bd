/* Finds the sectors of a span that must be written, by comparing the board's digests with those of
 * the intended content. */
#include "session_inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

#define LONG_LATENCY (40 * US_PER_MS)
#define WHOLE_LATENCY                                                                              \
    (150 * US_PER_MS) /* latency from which hashing 1 MiB twice is cheaper than three more round   \
                         trips */

enum {
    SAMPLES = 4,
    SAMPLE_SECTORS = 4,
    SPREAD_SAMPLES = 16,   /* most samples if one request covers all */
    WORTH_SAMPLING = 64,   /* sectors of a span worth sampling if each sample is a request, */
    WORTH_SPREAD = 8,      /* and if one request covers all */
    SAMPLED = 4,           /* at most one sector in so many, since the board must hash each; */
    SAMPLED_QUICK = 8,     /* on a quick line, which takes no longer than that, */
    SAMPLES_LEAST = 5,     /* but so many samples */
    SPREAD_STEP = 0x10,    /* step of the WRY_FLAG_SPREAD field */
    ANSWER_MS = 60,        /* line time of one answer */
    ANSWER_LEAST = 512,    /* least bytes of an answer */
    WORTH_ASKING = 16,     /* sectors of a blank run that are worth a question of their own */
    TOGETHER = 64,         /* sectors covered by one digest first, at speeds below */
    SINGLE_SPEED = 400000, /* baud */
    HASHED_PER_US = 2,     /* bytes */
};

enum wry_status session_is_unsettled(struct wry_session *session, uint32_t offset, uint32_t length,
                                     bool *unsettled)
{
    const struct wry_journal *journal = session->config.journal;
    enum wry_kept answer =
        journal ? journal->unsettled(journal->context, offset, length) : WRY_KEPT_NO;

    *unsettled = answer == WRY_KEPT_YES;
    return answer == WRY_KEPT_UNKNOWN
               ? session_fail(session, WRY_JOURNAL_FAILED, WRY_STEP_DIGEST, offset)
               : WRY_OK;
}

/* Requests the digests of as many sectors as fit in one answer. */
static enum wry_status ask_sums(struct wry_session *session, uint32_t offset, uint32_t count,
                                uint64_t *sums)
{
    enum wry_status status =
        session_fetch_digest(session, offset, count * WRY_SECTOR_SIZE, WRY_FLAG_SECTORS);

    for (uint32_t i = 0; status == WRY_OK && i < count; i++)
        sums[i] = session_short_digest(session->cargo + (size_t)i * WRY_SECTOR_DIGEST_SIZE);
    return status;
}

/* An answer is one frame, which must be short on a lossy line. */
enum wry_status session_sector_sums(struct wry_session *session, uint32_t offset, uint32_t count,
                                    uint64_t *sums)
{
    bool clean = session_line_is_clean(session);
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
 * Full SHA-256 digests take four times the bytes, but spare the board hashing everything again in
 * the end. Used if the line is fast and carries long frames.
 */
static bool whole_pays(const struct wry_session *session)
{
    return (session->board.features & WRY_FEATURE_WHOLE) != 0 &&
           session->speed >= WRY_STARTING_SPEED && session_latency(session) < WHOLE_LATENCY &&
           session_line_is_clean(session);
}

/* A digest of digests is short on any line, and proves what it covers. */
static bool together_pays(const struct wry_session *session)
{
    return (session->board.features & WRY_FEATURE_TOGETHER) != 0 &&
           session_latency(session) < WHOLE_LATENCY;
}

/* Compares the board's digests of n sectors, of size bytes each, with ours. */
static enum wry_status compare(struct session_write *job, uint32_t offset, uint32_t n,
                               uint8_t flags, struct session_dirty *dirty)
{
    struct wry_session *session = job->session;
    const struct wry_known *known = session->config.known;
    size_t size = wry_digest_size(flags, WRY_SECTOR_SIZE);
    struct session_composed composed = {.job = job};
    struct wry_reader content = session_composed(&composed);
    uint8_t ours[WRY_SHA256_SIZE];
    uint32_t stride = wry_digest_stride(flags);
    bool some =
        false; /* Individual sectors are checked only if some of the range were interrupted. */
    enum wry_status status =
        session_is_unsettled(session, offset, (n - 1) * stride + WRY_SECTOR_SIZE, &some);

    for (uint32_t i = 0; status == WRY_OK && i < n; i++) {
        uint32_t at = offset + i * stride;
        bool unsettled = false;
        status = session_hash(session, &content, at, WRY_SECTOR_SIZE, ours);
        if (status == WRY_OK && some)
            status = session_is_unsettled(session, at, WRY_SECTOR_SIZE, &unsettled);
        if (unsettled || memcmp(ours, session->cargo + i * size, size) != 0)
            bits_add(dirty->bits, dirty->count);
        if (known)
            known->recognise(known->context, at, session->cargo + i * size, size);
        dirty->count++;
    }
    return status;
}

/* How digests of a span are requested. */
struct survey {
    uint8_t flags;  /* of the digest requests */
    bool together;  /* one digest for many sectors; single ones where it differs */
    uint32_t room;  /* most bytes of an answer, which is one frame */
    bool ahead;     /* request the next digests while these are compared */
    uint32_t until; /* end of the range to request ahead */
};

static struct survey begin_survey(const struct wry_session *session)
{
    bool clean = session_line_is_clean(session);
    struct survey survey = {
        .flags = whole_pays(session) ? WRY_FLAG_SECTORS | WRY_FLAG_WHOLE : WRY_FLAG_SECTORS,
        .room = clean ? WRY_PAYLOAD_MAX : session->pace.payload,
        .ahead = (session->board.features & WRY_FEATURE_AFTER) != 0,
    };

    /* Nothing overlaps with the last answer; but shorter answers cost a round trip for every two.
     */
    uint32_t brief = session->speed / 10 * ANSWER_MS / 1000;
    brief = brief > ANSWER_LEAST ? brief : ANSWER_LEAST;
    if (survey.ahead && session_latency(session) < LONG_LATENCY && brief < survey.room)
        survey.room = brief;
    return survey;
}

static enum wry_status ask_next(struct session_write *job, const struct survey *survey,
                                uint32_t offset, uint32_t end, uint8_t after)
{
    uint32_t most = survey->together
                        ? TOGETHER
                        : survey->room / (uint32_t)wry_digest_size(survey->flags, WRY_SECTOR_SIZE);
    uint32_t left = (end - offset) / WRY_SECTOR_SIZE;
    /* Limited to the current piece. */
    uint32_t in_piece = SESSION_PIECE_SECTORS -
                        (offset - job->span.start) / WRY_SECTOR_SIZE % SESSION_PIECE_SECTORS;

    most = most < in_piece ? most : in_piece;
    job->ahead = (struct session_asked){
        .offset = offset, .sectors = most < left ? most : left, .flags = survey->flags};
    return session_ask_digest(job->session, offset, job->ahead.sectors * WRY_SECTOR_SIZE,
                              survey->flags | after, &job->ahead.seq);
}

/* Fetches the digests at offset and requests those after them. */
static enum wry_status fetch_next(struct session_write *job, const struct survey *survey,
                                  uint32_t offset, uint32_t end, struct session_asked *asked)
{
    struct wry_session *session = job->session;
    enum wry_status status = WRY_OK;

    if (job->ahead.sectors == 0 || job->ahead.offset != offset || job->ahead.flags != survey->flags)
        status = ask_next(job, survey, offset, end, 0);
    *asked = job->ahead;
    job->ahead.sectors = 0;
    uint32_t length = asked->sectors * WRY_SECTOR_SIZE;
    if (status == WRY_OK && survey->ahead && offset + length < survey->until)
        status = ask_next(job, survey, offset + length, survey->until, WRY_FLAG_AFTER);
    if (status == WRY_OK)
        status = session_await_digest(session, offset, length, asked->flags, asked->seq);
    if (status != WRY_OK || session->digest_asked_again)
        job->ahead.sectors = 0;
    if (status != WRY_LINK_LOST)
        return status;
    status = session_recover(session, WRY_STEP_DIGEST);
    return status == WRY_OK ? session_fetch_digest(session, offset, length, asked->flags) : status;
}

static bool any_dirty(const struct session_dirty *dirty)
{
    for (uint32_t i = 0; i < dirty->count; i++) {
        if (bits_has(dirty->bits, i))
            return true;
    }
    return false;
}

/*
 * True if whole digests of so many sectors take less time than hashing all of the span once more in
 * the end, which short ones need. On a lossy line their answers are short, and many.
 */
static bool whole_singles_pay(const struct session_write *job, uint32_t sectors)
{
    const struct wry_session *session = job->session;
    uint32_t size = sectors * WRY_SHA256_SIZE;
    uint64_t time =
        session_latency(session) * (size / WRY_PAGE_SIZE) + session_line_time(session, size);

    return (session->board.features & WRY_FEATURE_WHOLE) != 0 &&
           time < (job->span.end - job->span.start) / HASHED_PER_US;
}

static enum wry_status find_single(struct session_write *job, struct survey *survey,
                                   uint32_t offset, uint32_t count, struct session_dirty *dirty)
{
    enum wry_status status = WRY_OK;

    for (uint32_t n = 0; n < count && status == WRY_OK;) {
        uint32_t at = offset + n * WRY_SECTOR_SIZE;
        struct session_asked asked;
        status = fetch_next(job, survey, at, offset + count * WRY_SECTOR_SIZE, &asked);
        if (status == WRY_OK) {
            status = compare(job, at, asked.sectors, asked.flags, dirty);
            n += asked.sectors;
            /* What differs is written first. */
            if (any_dirty(dirty))
                survey->until = offset + count * WRY_SECTOR_SIZE;
        } else if (status == WRY_NO_ANSWER) {
            if (!whole_singles_pay(job, count))
                survey->flags = WRY_FLAG_SECTORS;
            /* What carries no frames of a page carries no content either. */
            survey->room = survey->flags & WRY_FLAG_WHOLE
                               ? WRY_PAGE_SIZE
                               : (asked.sectors + 3) / 4 * WRY_SECTOR_DIGEST_SIZE;
            status = WRY_OK;
        }
    }
    job->proven &= (survey->flags & WRY_FLAG_WHOLE) != 0;
    return status;
}

/* *same is true if all sectors are right and none was interrupted by an earlier session. */
static enum wry_status compare_together(struct session_write *job,
                                        const struct session_asked *asked, bool *same)
{
    struct session_composed composed = {.job = job};
    struct wry_reader content = session_composed(&composed);
    uint32_t length = asked->sectors * WRY_SECTOR_SIZE;
    uint8_t ours[WRY_SHA256_SIZE];
    bool unsettled = false;
    enum wry_status status =
        asked->flags == 0
            ? session_hash(job->session, &content, asked->offset, length, ours)
            : session_hash_sectors(job->session, &content, asked->offset, length, ours);

    if (status == WRY_OK)
        status = session_is_unsettled(job->session, asked->offset, length, &unsettled);
    *same = status == WRY_OK && !unsettled && memcmp(ours, job->session->cargo, sizeof ours) == 0;
    return status;
}

/* Used if single digests would take longer on the line than the board takes to hash. A digest of
 * the sectors' digests is the quickest, since the board only reads what is blank. */
static enum wry_status find_together(struct session_write *job, struct survey *survey,
                                     uint32_t offset, uint32_t count, struct session_dirty *dirty)
{
    struct survey single = *survey;
    enum wry_status status = WRY_OK;

    survey->together = true;
    survey->flags = job->session->board.features & WRY_FEATURE_TOGETHER
                        ? WRY_FLAG_SECTORS | WRY_FLAG_WHOLE | WRY_FLAG_TOGETHER
                        : 0;
    if (whole_singles_pay(job, TOGETHER))
        single.flags |= WRY_FLAG_WHOLE;
    for (uint32_t n = 0; n < count && status == WRY_OK;) {
        uint32_t at = offset + n * WRY_SECTOR_SIZE;
        struct session_asked asked;
        bool same = false;
        status = fetch_next(job, survey, at, offset + count * WRY_SECTOR_SIZE, &asked);
        if (status == WRY_OK)
            status = compare_together(job, &asked, &same);
        if (same)
            dirty->count += asked.sectors;
        if (status == WRY_OK && !same) {
            single.until = at + asked.sectors * WRY_SECTOR_SIZE;
            status = find_single(job, &single, at, asked.sectors, dirty);
        }
        n += asked.sectors;
    }
    return status;
}

/* *count: sectors from offset on, at most that many, whose intended content is blank. */
static enum wry_status blank_run(struct session_write *job, uint32_t offset, uint32_t *count)
{
    uint8_t page[WRY_PAGE_SIZE];
    bool blank = true;

    for (uint32_t i = 0; i < *count * WRY_SECTOR_SIZE && blank; i += sizeof page) {
        if (!session_compose(job, offset + i, page, sizeof page))
            return session_fail(job->session, WRY_SOURCE_FAILED, WRY_STEP_DIGEST, offset + i);
        blank = wry_bytes_blank(page, sizeof page);
        if (!blank)
            *count = i / WRY_SECTOR_SIZE;
    }
    return WRY_OK;
}

/*
 * For flash that looks blank: sectors with content are written without a question, and so is a
 * short blank run between them, which the board looks at while the line is busy.
 */
static enum wry_status find_in_blank(struct session_write *job, uint32_t offset, uint32_t count,
                                     struct session_dirty *dirty)
{
    bool together = together_pays(job->session);
    enum wry_status status = WRY_OK;

    while (dirty->count < count && status == WRY_OK) {
        uint32_t at = offset + dirty->count * WRY_SECTOR_SIZE, run = count - dirty->count;
        status = blank_run(job, at, &run);
        if (status == WRY_OK && run >= WORTH_ASKING) {
            struct survey survey = begin_survey(job->session);
            survey.until = at + run * WRY_SECTOR_SIZE;
            status = together ? find_together(job, &survey, at, run, dirty)
                              : find_single(job, &survey, at, run, dirty);
            continue;
        }
        for (uint32_t i = 0; i < (run > 0 ? run : 1); i++)
            bits_add(dirty->bits, dirty->count++);
    }
    return status;
}

enum wry_status session_find_dirty(struct session_write *job, uint32_t offset, uint32_t count,
                                   uint32_t until, struct session_dirty *dirty)
{
    const struct wry_session *session = job->session;
    struct survey survey = begin_survey(session);
    bool whole = whole_pays(session), together = whole || together_pays(session);

    survey.until = until;
    memset(dirty, 0, sizeof *dirty);
    if (job->blank)
        return find_in_blank(job, offset, count, dirty);
    return together && job->alike && !(whole && session->speed >= SINGLE_SPEED)
               ? find_together(job, &survey, offset, count, dirty)
               : find_single(job, &survey, offset, count, dirty);
}

static bool all_dirty(const struct session_dirty *dirty)
{
    for (uint32_t i = 0; i < dirty->count; i++) {
        if (!bits_has(dirty->bits, i))
            return false;
    }
    return true;
}

uint8_t session_spread_flags(const struct wry_session *session, uint32_t length, uint32_t most)
{
    bool odd = (session->board.features & WRY_FEATURE_ODD) != 0;
    uint8_t flags = WRY_FLAG_SECTORS | SPREAD_STEP | (odd ? WRY_FLAG_ODD : 0);

    while (wry_digest_size(flags, length) > (size_t)most * WRY_SECTOR_DIGEST_SIZE)
        flags += SPREAD_STEP;
    return flags;
}

/* Bit i: sample i is blank. */
static uint32_t blank_among(const uint8_t *digests, uint32_t n)
{
    uint8_t page[WRY_PAGE_SIZE], blank[WRY_SHA256_SIZE];
    struct wry_sha256 sha;
    uint32_t found = 0;

    memset(page, 0xFF, sizeof page);
    wry_sha256_begin(&sha);
    for (uint32_t i = 0; i < WRY_SECTOR_SIZE / WRY_PAGE_SIZE; i++)
        wry_sha256_add(&sha, page, sizeof page);
    wry_sha256_end(&sha, blank);
    for (uint32_t i = 0; i < n; i++) {
        if (memcmp(digests + (size_t)i * WRY_SECTOR_DIGEST_SIZE, blank, WRY_SECTOR_DIGEST_SIZE) ==
            0)
            found |= 1u << i;
    }
    return found;
}

struct session_asked session_sample_of(const struct session_write *job)
{
    uint32_t length = job->span.end - job->span.start;
    uint32_t sectors = length / WRY_SECTOR_SIZE, most = sectors / SAMPLED;
    uint32_t few =
        sectors / SAMPLED_QUICK > SAMPLES_LEAST ? sectors / SAMPLED_QUICK : SAMPLES_LEAST;

    if (job->session->speed >= SINGLE_SPEED && few < most)
        most = few;
    if (sectors < WORTH_SPREAD || !(job->session->board.features & WRY_FEATURE_SPREAD))
        return (struct session_asked){0};
    return (struct session_asked){
        .offset = job->span.start,
        .sectors = sectors,
        .flags = session_spread_flags(job->session, length,
                                      most < SPREAD_SAMPLES ? most : SPREAD_SAMPLES)};
}

/* The digests of the samples, which may have been requested before. */
static enum wry_status fetch_samples(struct session_write *job, const struct session_asked *sample)
{
    struct wry_session *session = job->session;
    uint32_t length = sample->sectors * WRY_SECTOR_SIZE;
    bool asked = job->sample.sectors > 0;

    job->sample.sectors = 0;
    if (!asked)
        return session_fetch_digest(session, sample->offset, length, sample->flags);
    enum wry_status status =
        session_await_digest(session, sample->offset, length, sample->flags, job->sample.seq);
    if (status != WRY_LINK_LOST)
        return status;
    status = session_recover(session, WRY_STEP_DIGEST);
    return status == WRY_OK ? session_fetch_digest(session, sample->offset, length, sample->flags)
                            : status;
}

/* Samples evenly spaced sectors by one request. */
static enum wry_status sample_spread(struct session_write *job, const struct session_asked *sample,
                                     bool *looks_new)
{
    uint32_t length = sample->sectors * WRY_SECTOR_SIZE;
    uint8_t flags = sample->flags;
    struct session_dirty dirty;

    memset(&dirty, 0, sizeof dirty);
    uint32_t n = (uint32_t)(wry_digest_size(flags, length) / WRY_SECTOR_DIGEST_SIZE);
    enum wry_status status = fetch_samples(job, sample);
    if (status == WRY_OK)
        status = compare(job, sample->offset, n, flags, &dirty);
    if (status == WRY_OK)
        job->blank_samples = blank_among(job->session->cargo, n);
    job->samples_stride = wry_digest_stride(flags);
    job->blank = job->blank_samples == (1u << n) - 1;
    job->alike = !any_dirty(&dirty);
    *looks_new = status == WRY_OK && !session_look_pays(job, &dirty, wry_digest_stride(flags),
                                                        whole_pays(job->session));
    return status;
}

static enum wry_status sample_span(struct session_write *job, bool *looks_new)
{
    struct session_dirty dirty;
    uint32_t sectors = (job->span.end - job->span.start) / WRY_SECTOR_SIZE;
    enum wry_status status = WRY_OK;

    *looks_new = job->blank = false;
    job->blank_samples = 0;
    job->alike = true;
    struct session_asked sample = session_sample_of(job);
    if (sample.sectors > 0) {
        status = sample_spread(job, &sample, looks_new);
        if (status != WRY_NO_ANSWER)
            return status;
        status = WRY_OK;
    }
    *looks_new = sectors >= WORTH_SAMPLING;
    /* Each sample costs a round trip. */
    uint32_t samples = session_latency(job->session) > LONG_LATENCY ? SAMPLES / 2 : SAMPLES;

    for (uint32_t i = 0; *looks_new && status == WRY_OK && i < samples; i++) {
        uint32_t first = (sectors - SAMPLE_SECTORS) / (samples - 1) * i;
        uint32_t offset = job->span.start + first * WRY_SECTOR_SIZE;
        status = session_find_dirty(job, offset, SAMPLE_SECTORS,
                                    offset + SAMPLE_SECTORS * WRY_SECTOR_SIZE, &dirty);
        *looks_new = all_dirty(&dirty);
    }
    return status;
}

enum wry_status session_looks_new(struct session_write *job, bool *looks_new)
{
    const struct wry_session *session = job->session;
    enum wry_status status = sample_span(job, looks_new);

    uint32_t length = job->span.end - job->span.start, blank = session_blank_bytes(job);

    /* Of all sectors, or of samples, in one round trip. */
    if (*looks_new) {
        length = session_sample_of(job).sectors > 0 ? SPREAD_SAMPLES * WRY_SECTOR_SIZE : 0;
        blank = 0;
    }
    job->look_time =
        session_cost_look(session, length, blank, whole_pays(session)) + 2 * session->latency_least;
    return status;
}
