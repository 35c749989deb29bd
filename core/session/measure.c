/*
 * What the packer is asked for, and how long the stream of a part becomes. A part of a span whose
 * stream was measured takes its share of that: to pack it again only to measure it takes the
 * computer longer than it is worth.
 */
#include "session_inner.h"

#include "bytes/memory.h"

enum {
    WORTH_SHARING = 2 * SESSION_ERASE_MOST, /* bytes of a part; of less, its share is too vague */
};

/* Packing and measuring take moments: the board must not take that for a lost link, and a request
 * to stop is heard. */
static bool may_go_on(struct wry_session *session)
{
    return !session->stopped && session_keep_awake(session) == WRY_OK;
}

/* Reads the part's content, and hashes what is read for the first time. */
static bool read_content(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    struct session_write *job = context;
    struct wry_session_window *window = &job->session->window;
    struct session_composed composed = {.job = job, .start = job->part.start};
    struct wry_reader content = session_composed(&composed);
    uint32_t at = job->part.start + offset;

    if (!may_go_on(job->session) || !content.read(content.context, offset, to, n))
        return false;
    if (at <= window->hashed && at + n > window->hashed) {
        size_t skip = window->hashed - at;
        wry_sha256_add(&window->sha, to + skip, n - skip);
        window->hashed = at + (uint32_t)n;
    }
    return true;
}

static bool is_shared(void *context, uint32_t offset)
{
    size_t count;

    session_kept_within(context, offset, offset + WRY_SECTOR_SIZE, &count);
    return count > 0;
}

struct wry_packing session_packing(struct session_write *job, uint8_t coding, bool down)
{
    const struct wry_hello_reply *board = &job->session->board;
    bool with_old = wry_coding_needs_old(coding);

    return (struct wry_packing){.content = {.context = job, .read = read_content},
                                .length = job->part.end - job->part.start,
                                .coding = coding,
                                .window = with_old ? board->old_dictionary : board->dictionary,
                                .filters = with_old ? 0 : board->filters,
                                .offset = job->part.start,
                                .down = down,
                                .thorough =
                                    with_old && job->session->speed < SESSION_THOROUGH_SPEED,
                                .old_block = board->old_block,
                                .old_history = board->old_history,
                                .known = job->session->config.known,
                                .is_shared = is_shared};
}

/* Bytes of the span's stream up to so many bytes of content. */
static uint32_t stream_up_to(const struct session_measured *whole, uint32_t content)
{
    uint32_t i = content / whole->piece, within = content % whole->piece / WRY_SECTOR_SIZE;
    uint32_t before = i > 0 ? whole->ends[i - 1] : 0;

    if (i >= whole->count || within == 0)
        return before;
    uint32_t left = (whole->part.end - whole->part.start) - i * whole->piece;
    uint32_t sectors = (left < whole->piece ? left : whole->piece) / WRY_SECTOR_SIZE;
    return before + (whole->ends[i] - before) / sectors * within;
}

static const struct session_measured *measured(const struct session_write *job, uint8_t coding)
{
    for (unsigned i = 0; i < 2; i++) {
        const struct session_measured *whole = &job->measured[i];
        if (whole->coding == coding && whole->count > 0 && whole->part.start == job->span.start &&
            whole->part.end == job->span.end)
            return whole;
    }
    return NULL;
}

/* What was measured of the span, where that tells the length for the part. */
static const struct session_measured *measured_for(const struct session_write *job,
                                                   const struct session_choice *way)
{
    uint32_t length = job->part.end - job->part.start;

    return way->exact || length < WORTH_SHARING ? NULL : measured(job, way->coding);
}

bool session_is_measured(const struct session_write *job, const struct session_choice *way)
{
    return measured_for(job, way) != NULL;
}

static void remember(struct session_write *job, uint8_t coding, const struct session_pieces *pieces)
{
    struct session_measured *to = &job->measured[coding == WRY_CODING_DEFLATE];

    to->part = pieces->part;
    to->coding = coding;
    to->piece = pieces->piece;
    to->count = pieces->count;
    memcpy(to->ends, pieces->ends, sizeof to->ends);
}

/* The pieces of job->part by what was measured of the span. */
static void take_share(const struct session_write *job, const struct session_measured *whole,
                       struct session_pieces *pieces)
{
    uint32_t from = job->part.start - job->span.start, before = stream_up_to(whole, from);
    uint32_t length = job->part.end - job->part.start;

    for (uint32_t i = 0; i < pieces->count; i++) {
        uint32_t end = i + 1 < pieces->count ? (i + 1) * pieces->piece : length;
        pieces->ends[i] = stream_up_to(whole, from + end) - before;
    }
}

bool session_measure(struct session_write *job, const struct session_choice *way,
                     struct session_pieces *pieces)
{
    const struct wry_packer *packer = job->session->config.packer;
    const struct session_measured *whole = measured_for(job, way);

    *pieces = *session_pieces(job);
    if (way->coding == 0)
        return true;
    if (whole) {
        take_share(job, whole, pieces);
        return true;
    }
    struct wry_packing packing = session_packing(job, way->coding, way->down);
    if (!packer->measure(packer->context, &packing, way->exact, pieces->piece, pieces->ends,
                         pieces->count))
        return false;
    if (!wry_coding_needs_old(way->coding) && job->part.start == job->span.start &&
        job->part.end == job->span.end)
        remember(job, way->coding, pieces);
    return true;
}
