/* Any bytes, put in and taken out in any pieces, come out of zlib as they were. */
#include <string.h>
#include <zlib.h>

#include "door.h"
#include "wrytograph/deflate.h"

enum {
    MOST = 1 << 17,
};

static uint16_t memory[WRY_DEFLATE_MEMORY_MOST / 2];
static uint8_t packed[MOST + MOST / 8], out[MOST + 1];

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    static struct wry_deflate d;
    size_t step = n > 0 ? 1 + bytes[0] * 3u : 1, in = 0, made = 0;

    if (n > MOST)
        return 0;
    wry_deflate_init(&d, memory, n % 2 ? WRY_DEFLATE_MEMORY_LEAST : WRY_DEFLATE_MEMORY_MOST);
    while (!wry_deflate_is_over(&d)) {
        size_t room = wry_deflate_room(&d), give = n - in < room ? n - in : room;
        give = give < step ? give : step;
        if (give > 0)
            wry_deflate_put(&d, bytes + in, give);
        else if (in == n)
            wry_deflate_finish(&d);
        in += give;
        made += wry_deflate_take(&d, packed + made, WRY_DEFLATE_TAKE_LEAST + step);
    }
    z_stream z = {
        .next_in = packed, .avail_in = (uInt)made, .next_out = out, .avail_out = MOST + 1};
    if (inflateInit2(&z, n % 2 ? -13 : -15) != Z_OK)
        return 0;
    int said = inflate(&z, Z_FINISH);
    size_t length = z.total_out;
    inflateEnd(&z);
    MUST(said == Z_STREAM_END && length == n && memcmp(out, bytes, n) == 0);
    return 0;
}
