/*
 * Content received as streams: those in flight are stored until they can be decoded one after the
 * other, in flash order.
 */
#include "session_inner.h"

#include "bytes/bits.h"
#include "bytes/memory.h"

#define LONG_LATENCY (90 * US_PER_MS)   /* latency from which repeating lost parts is expensive */
#define WORTH_PACKING (100 * US_PER_MS) /* line time of plain content from which streams pay */

enum {
    QUICK = 1000000,      /* baud */
    SLOW = 60000,         /* below it, the lost end of a long answer costs seconds */
    ENOUGH = 64,          /* frames before the loss rate is known */
    LENGTH_KEPT = 0x6000, /* on a lossy line, if the board caches streams */
    LENGTH_WITH_LOSS = 0x4000,
    LENGTH_WITH_MUCH = 0x2000,
};

/* Layout of the memory provided by the caller. */
struct unpacking {
    struct wry_inflate inflate;
    uint8_t window[WRY_INFLATE_WINDOW_MAX];
    uint8_t streams[WRY_SESSION_READS][WRY_READ_PAGES * WRY_PAGE_SIZE];
};

typedef char unpacking_fits[sizeof(struct unpacking) <= WRY_SESSION_READ_MEMORY ? 1 : -1];

static struct unpacking *memory_of(const struct wry_session *session)
{
    return (struct unpacking *)session->config.read_memory;
}

static uint8_t *stream_of(const struct wry_session *session, const struct wry_session_read *read)
{
    return memory_of(session)->streams[read - session->reads];
}

/* With heavy losses a stream hardly ever arrives complete. */
bool session_unpack_is_hopeless(const struct wry_session *session)
{
    const struct wry_session_pace *pace = &session->pace;

    return pace->short_frames >= ENOUGH && pace->short_lost * 2 > pace->short_frames;
}

/*
 * A board that caches its latest streams can resend lost parts at once. Other boards encode the
 * stream again for each part: their requests are kept shorter on lossy lines. With many losses, or
 * a line as fast as the board's processor, content is read without streams.
 */
uint32_t session_unpack_length(const struct wry_session *session, uint64_t total)
{
    const struct wry_session_pace *pace = &session->pace;
    bool poor = pace->short_frames >= ENOUGH && pace->short_lost * 3 > pace->short_frames;

    if (!session->config.read_memory || session->unpack_failed ||
        !(session->board.features & WRY_FEATURE_PACKED) ||
        session_line_time(session, (size_t)total) < WORTH_PACKING)
        return 0;
    if (pace->untried)
        return session->speed < SLOW ? LENGTH_WITH_MUCH / 2 : WRY_READ_PACKED_MOST;
    if (session->speed < SLOW || poor)
        return 0;
    bool distant = session_latency(session) > LONG_LATENCY;
    if ((session->board.features & WRY_FEATURE_SOON) && !(distant && session->speed > QUICK)) {
        uint32_t most = distant ? LENGTH_WITH_LOSS : LENGTH_KEPT; /* limits for lossy lines */
        return pace->payload > WRY_PAGE_SIZE ? WRY_READ_PACKED_MOST : most;
    }
    if (session->speed > QUICK)
        return 0;
    return pace->payload > WRY_PAGE_SIZE ? LENGTH_WITH_LOSS : LENGTH_WITH_MUCH;
}

bool session_unpack_fits(const struct wry_session_read *read, const struct wry_data_message *data)
{
    uint32_t most = read->stream_known ? read->stream_length : WRY_READ_PAGES * WRY_PAGE_SIZE;

    return data->encoding == WRY_ENCODING_STREAM && data->offset % WRY_PAGE_SIZE == 0 &&
           data->length <= most && data->offset <= most - data->length;
}

void session_unpack_take(struct wry_session *session, struct wry_session_read *read,
                         const struct wry_data_message *data)
{
    uint32_t end = data->offset + data->length;

    memcpy(stream_of(session, read) + data->offset, data->payload, data->length);
    for (uint32_t at = data->offset; at < end; at += WRY_PAGE_SIZE)
        bits_add(read->have, at / WRY_PAGE_SIZE);
    if (read->stream_seen < end)
        read->stream_seen = end;
    session_advanced(session);
}

/* Bytes of the stream received without a gap. */
static uint32_t ready(const struct wry_session_read *read)
{
    uint32_t at = read->stream_used - read->stream_used % WRY_PAGE_SIZE;

    while (at < read->stream_seen && bits_has(read->have, at / WRY_PAGE_SIZE))
        at += WRY_PAGE_SIZE;
    return at < read->stream_seen ? at : read->stream_seen;
}

/* Blank content is never sent as a stream. */
static bool is_blank(const struct wry_session_read *read)
{
    return read->stream_known && read->stream_length == 0;
}

/* Decodes the next page, shorter at the end of the range; false if more input is needed. */
static bool next_page(struct wry_session *session, struct wry_session_read *read, uint32_t *n,
                      bool *damaged)
{
    struct unpacking *unpacking = memory_of(session);
    uint32_t left = read->length - read->unpacked;
    uint32_t page = left < WRY_PAGE_SIZE ? left : WRY_PAGE_SIZE;
    uint32_t there = unpacking->inflate.total - read->unpacked;

    *n = page;
    *damaged = false;
    if (is_blank(read))
        return true;
    struct wry_inflate_input input = {.bytes = stream_of(session, read) + read->stream_used,
                                      .n = ready(read) - read->stream_used};
    size_t given = input.n;
    enum wry_inflate_result result = wry_inflate_run(&unpacking->inflate, &input, page - there);

    read->stream_used += (uint32_t)(given - input.n);
    there = unpacking->inflate.total - read->unpacked;
    bool all = read->stream_known && read->stream_used >= read->stream_length;
    *damaged =
        result == WRY_INFLATE_DAMAGED || ((result == WRY_INFLATE_END || all) && there < page);
    return there == page;
}

enum wry_status session_unpack(struct wry_session *session, struct wry_session_read *read,
                               const struct session_page_sink *sink, bool *damaged)
{
    struct unpacking *unpacking = memory_of(session);
    uint32_t n;

    if (is_blank(read))
        memset(unpacking->window, 0xFF, WRY_PAGE_SIZE);
    else if (read->unpacked == 0 && read->stream_used == 0)
        wry_inflate_init(&unpacking->inflate, unpacking->window, sizeof unpacking->window);
    *damaged = false;
    while (read->unpacked < read->length && next_page(session, read, &n, damaged)) {
        uint32_t at = is_blank(read) ? 0 : read->unpacked & (sizeof unpacking->window - 1);
        const uint8_t *bytes = unpacking->window + at;
        enum wry_status status = sink->take(sink->context, read->offset + read->unpacked, bytes, n);
        if (status != WRY_OK)
            return status;
        read->unpacked += n;
    }
    return WRY_OK;
}
