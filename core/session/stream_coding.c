/*
 * Content sent as a stream: encoded on demand and kept in the packer's memory, a ring buffer, until
 * the board has it. In the window, pages of the stream replace pages of flash.
 */
#include "session_inner.h"

#include "bytes/memory.h"

enum {
    /* the usual ratio: compressed firmware has one byte in so many */
    PACKED = 2,
    PACKED_DIFFERENCE = 12,
    PIECE = 4096, /* bytes encoded at once: a moment on any processor */
};

/* Reads the part's content, and hashes what is read for the first time. */
static bool read_content(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    struct session_write *job = context;
    struct wry_session_window *window = &job->session->window;
    struct session_composed composed = {.job = job, .start = job->part.start};
    struct wry_reader content = session_composed(&composed);
    uint32_t at = job->part.start + offset;

    if (!content.read(content.context, offset, to, n))
        return false;
    if (at <= window->hashed && at + n > window->hashed) {
        size_t skip = window->hashed - at;
        wry_sha256_add(&window->sha, to + skip, n - skip);
        window->hashed = at + (uint32_t)n;
    }
    return true;
}

static uint64_t time_of(const struct session_write *job, uint8_t coding, uint32_t line_bytes,
                        uint32_t erase_unit)
{
    const struct wry_session *session = job->session;
    struct session_cost_terms terms = {.speed = session->speed,
                                       .latency = session_latency(session)};
    uint32_t length = job->part.end - job->part.start;
    struct wry_cost_part part = {.offset = job->part.start,
                                 .length = length,
                                 .coding = coding,
                                 .erase_unit = erase_unit,
                                 .line_bytes = line_bytes,
                                 .pages = length / WRY_PAGE_SIZE};

    return session_cost_of(&terms, &part).total;
}

static uint32_t packed_difference(const struct session_write *job)
{
    const struct wry_known *known = job->session->config.known;
    uint32_t length = job->part.end - job->part.start;
    uint32_t covered = known->covers(known->context, job->part.start, length);

    return covered / PACKED_DIFFERENCE + (length - covered) / PACKED;
}

/* Time of a sector in the chosen coding, before its ratio is known. */
static uint32_t sector_time(const struct session_write *job)
{
    const struct wry_session *session = job->session;
    uint32_t length = job->part.end - job->part.start, line_bytes = length;
    uint32_t unit = SESSION_ERASE_MOST;

    if (job->erases) {
        line_bytes = 0;
    } else if (job->coding == WRY_CODING_DIFFERENCE) {
        line_bytes = packed_difference(job);
        unit = session->board.old_block;
    } else if (job->coding == WRY_CODING_DEFLATE) {
        line_bytes = length / PACKED;
    }
    /* In units of 256 us: 32 bits hold twelve days. */
    uint32_t time = (uint32_t)(time_of(job, job->coding, line_bytes, unit) >> 8);
    return time / (length / WRY_SECTOR_SIZE) << 8;
}

void session_stream_expect(struct session_write *job)
{
    job->session->sector_time = sector_time(job);
}

/*
 * Whether a difference promises to be faster. It sends less, but a board with little memory erases
 * in smaller units for it, and every board must read what it will erase.
 */
static bool difference_pays(const struct session_write *job)
{
    const struct wry_session *session = job->session;
    const struct wry_known *known = session->config.known;
    uint32_t length = job->part.end - job->part.start, block = session->board.old_block;

    if (!known || job->without_old || block < WRY_SECTOR_SIZE)
        return false;
    return time_of(job, WRY_CODING_DIFFERENCE, packed_difference(job), block) <
           time_of(job, WRY_CODING_DEFLATE, length / PACKED, SESSION_ERASE_MOST);
}

static bool is_shared(void *context, uint32_t offset)
{
    size_t count;

    session_kept_within(context, offset, offset + WRY_SECTOR_SIZE, &count);
    return count > 0;
}

uint8_t session_stream_begin(struct session_write *job)
{
    struct wry_session *session = job->session;
    const struct wry_packer *packer = session->config.packer;
    struct wry_packing packing = {.content = {.context = job, .read = read_content},
                                  .length = job->part.end - job->part.start,
                                  .coding = WRY_CODING_DIFFERENCE,
                                  .window = session->board.dictionary,
                                  .offset = job->part.start,
                                  .old_block = session->board.old_block,
                                  .old_history = session->board.old_history,
                                  .known = session->config.known,
                                  .is_shared = is_shared};

    if (!packer || job->as_pages || !(session->board.features & WRY_FEATURE_STREAMS) ||
        packing.window == 0 || packer->size < WRY_PACKER_MEMORY_LEAST ||
        packer->size % WRY_PAGE_SIZE != 0)
        return 0;
    if (difference_pays(job) && packer->begin(packer->context, &packing))
        return packing.coding;
    packing.coding = WRY_CODING_DEFLATE;
    return packer->begin(packer->context, &packing) ? packing.coding : 0;
}

void session_stream_window(struct wry_session_window *window)
{
    window->is_stream = true;
    window->start = window->received = window->sent = window->limit = window->available = 0;
    window->end = UINT32_MAX;
}

bool session_stream_saved(const struct session_write *job)
{
    return job->coding == WRY_CODING_DIFFERENCE &&
           job->session->window.packed < (job->part.end - job->part.start) / PACKED;
}

/* Pads the stream to a whole page. */
static void end_stream(struct wry_session_window *window, const struct wry_packer *packer)
{
    while (window->packed % WRY_PAGE_SIZE != 0)
        packer->memory[window->packed++ % packer->size] = 0;
    window->end = window->packed;
}

/* Keeps the board from taking a slow encoder for a lost link. */
static enum wry_status keep_awake(struct wry_session *session)
{
    enum wry_status status = session_heartbeat(session);

    if (status == WRY_OK && session_now(session) >= session->spoke_at + SESSION_KEEP_ALIVE)
        status = session_ask_status(session);
    return status;
}

/* Encodes until there is enough for a frame, the ring is full or the stream ends. */
enum wry_status session_stream_fill(struct session_write *job)
{
    struct wry_session *session = job->session;
    struct wry_session_window *window = &session->window;
    const struct wry_packer *packer = session->config.packer;
    uint32_t wanted = window->sent + WRY_PAYLOAD_MAX;
    uint32_t most = window->received + (uint32_t)packer->size;

    wanted = wanted < most ? wanted : most;
    while (window->end == UINT32_MAX && window->packed < wanted) {
        size_t at = window->packed % packer->size, given = 0;
        size_t room = packer->size - at;
        if (room > most - window->packed)
            room = most - window->packed;
        if (room > PIECE)
            room = PIECE;
        if (!packer->give(packer->context, packer->memory + at, room, &given))
            return session_fail(session, WRY_SOURCE_FAILED, WRY_STEP_WRITE, window->hashed);
        window->packed += (uint32_t)given;
        if (given == 0)
            end_stream(window, packer);
        enum wry_status status = keep_awake(session);
        if (status != WRY_OK)
            return status;
    }
    window->available = window->packed - window->packed % WRY_PAGE_SIZE;
    return WRY_OK;
}

void session_stream_take(const struct wry_session *session, uint32_t offset, uint8_t *to,
                         uint32_t length)
{
    const struct wry_packer *packer = session->config.packer;

    for (uint32_t i = 0; i < length; i += WRY_PAGE_SIZE)
        memcpy(to + i, packer->memory + (offset + i) % packer->size, WRY_PAGE_SIZE);
}
