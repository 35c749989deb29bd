/* Any bytes as a deflate stream, in any pieces: inflated as zlib does it, or refused where zlib
 * refuses. */
#include <string.h>
#include <zlib.h>

#include "door.h"
#include "wrytograph/inflate.h"

enum {
    MOST = 1 << 16,
};

static uint8_t window[WRY_INFLATE_WINDOW_MAX], ours[MOST], theirs[MOST];

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    static struct wry_inflate inflate_;
    size_t step = n > 0 ? 1 + bytes[0] : 1, in = n > 0, made = 0;
    enum wry_inflate_result result = WRY_INFLATE_INPUT;

    wry_inflate_init(&inflate_, window, sizeof window);
    while (result != WRY_INFLATE_END && result != WRY_INFLATE_DAMAGED) {
        size_t piece = n - in < step ? n - in : step;
        struct wry_inflate_input input = {.bytes = bytes + in, .n = piece};
        uint32_t room = MOST - made < 300 ? (uint32_t)(MOST - made) : 300, before = inflate_.total;
        result = wry_inflate_run(&inflate_, &input, room);
        in += piece - input.n;
        for (; before != inflate_.total; before++)
            ours[made++] = window[before & (sizeof window - 1)];
        if (made == MOST || (in == n && result == WRY_INFLATE_INPUT))
            break;
    }
    z_stream z = {.next_in = (Bytef *)(uintptr_t)(bytes + (n > 0)),
                  .avail_in = (uInt)(n - (n > 0)),
                  .next_out = theirs,
                  .avail_out = MOST};
    if (inflateInit2(&z, -15) != Z_OK)
        return 0;
    int said = inflate(&z, Z_SYNC_FLUSH);
    size_t length = z.total_out;
    inflateEnd(&z);
    MUST(memcmp(ours, theirs, made < length ? made : length) == 0);
    MUST((result == WRY_INFLATE_END) == (said == Z_STREAM_END) || made == MOST || length == MOST);
    return 0;
}
