/* Any bytes as an LZMA stream, in any pieces, alone or over old content: decoded as liblzma does
 * it, or refused where liblzma refuses. */
#include <lzma.h>
#include <string.h>

#include "door.h"
#include "wrytograph/bytes.h"
#include "wrytograph/lzma.h"

enum {
    MOST = 1 << 16,
    WINDOW = 4096,
    OLD = 8192,
};

static uint8_t window[WINDOW], ours[MOST + WINDOW], theirs[MOST], old[OLD];

static void take_out(const struct wry_lzma *lzma, uint32_t from)
{
    for (; from != lzma->total; from++)
        ours[from] = window[from % WINDOW];
}

static void supply(struct wry_lzma *lzma, uint32_t room)
{
    uint32_t back, n = wry_lzma_far(lzma, &back), total = lzma->total;
    uint8_t bytes[512];

    MUST(back > 0 && back <= total + lzma->before && n <= 273);
    n = n < room ? n : room;
    for (uint32_t i = 0; i < n; i++)
        bytes[i] = back > total ? old[OLD - (back - total) + i] : ours[total - back + i];
    wry_lzma_supply(lzma, bytes, n);
}

static enum wry_lzma_result decode(struct wry_lzma *lzma, const uint8_t *bytes, size_t n,
                                   size_t step)
{
    enum wry_lzma_result result = WRY_LZMA_INPUT;

    for (size_t in = 0; result != WRY_LZMA_END && result != WRY_LZMA_DAMAGED;) {
        struct wry_lzma_input input = {.bytes = bytes + in, .n = n - in < step ? n - in : step};
        uint32_t before = lzma->total, room = MOST - before < 300 ? MOST - before : 300;
        size_t piece = input.n;
        result = wry_lzma_run(lzma, &input, room);
        MUST(lzma->total - before <= room);
        take_out(lzma, before);
        in += piece - input.n;
        before = lzma->total;
        if (result == WRY_LZMA_FAR)
            supply(lzma, MOST - before);
        take_out(lzma, before);
        if (lzma->total == MOST || (in == n && result == WRY_LZMA_INPUT))
            break;
    }
    return result;
}

/* The first bytes choose parameters, pieces and old content. */
int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    static struct wry_lzma lzma;
    lzma_options_lzma options;
    const lzma_filter filters[] = {{.id = LZMA_FILTER_LZMA1, .options = &options},
                                   {.id = LZMA_VLI_UNKNOWN}};
    lzma_stream stream = LZMA_STREAM_INIT;

    if (n < 2 || !wry_lzma_supports(bytes[0]) || lzma_lzma_preset(&options, 0))
        return 0;
    bool with_old = bytes[1] >= 128;
    for (size_t i = 0; i < OLD; i++)
        old[i] = (uint8_t)(i * i >> 5);
    options.lc = bytes[0] % 9u;
    options.lp = bytes[0] / 9u % 5u;
    options.pb = bytes[0] / 45u;
    options.dict_size = with_old ? OLD + MOST : WINDOW;
    options.preset_dict = with_old ? old : NULL;
    options.preset_dict_size = with_old ? OLD : 0;
    wry_lzma_init(&lzma, bytes[0], window, WINDOW, with_old ? OLD : 0);
    enum wry_lzma_result result = decode(&lzma, bytes + 2, n - 2, 1u + bytes[1] % 128u);
    /* A code that is no less than the range is damage, which liblzma does not look for. */
    if (n >= 7 && wry_bytes_blank(bytes + 3, 4)) {
        MUST(result != WRY_LZMA_END && lzma.total == 0);
        return 0;
    }
    if (lzma_raw_decoder(&stream, filters) != LZMA_OK)
        return 0;
    stream.next_in = bytes + 2;
    stream.avail_in = n - 2;
    stream.next_out = theirs;
    stream.avail_out = MOST;
    lzma_ret said = lzma_code(&stream, LZMA_RUN);
    size_t length = (size_t)stream.total_out;
    lzma_end(&stream);
    /* Ours waits for more input than a symbol may take, and so ends earlier on a stream cut short.
     */
    MUST(lzma.total <= length);
    MUST(memcmp(ours, theirs, lzma.total) == 0);
    MUST(result != WRY_LZMA_END || said == LZMA_STREAM_END);
    MUST(result != WRY_LZMA_DAMAGED || said == LZMA_DATA_ERROR || length == MOST);
    return 0;
}
