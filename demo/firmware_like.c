/* Bytes that compress as firmware does. */
#include "firmware_like.h"

#include <string.h>

static uint64_t next_random(uint64_t *state)
{
    uint64_t z = *state += UINT64_C(0x9E3779B97F4A7C15);

    z = (z ^ z >> 30) * UINT64_C(0xBF58476D1CE4E5B9);
    z = (z ^ z >> 27) * UINT64_C(0x94D049BB133111EB);
    return z ^ z >> 31;
}

void fill_like_firmware(uint8_t *to, size_t n, uint64_t seed)
{
    uint8_t words[256][4];
    size_t at = 0;

    for (size_t i = 0; i < sizeof words / sizeof words[0]; i++) {
        uint64_t r = next_random(&seed);
        memcpy(words[i], &r, sizeof words[i]);
    }
    while (at < n) {
        uint64_t r = next_random(&seed);
        uint8_t piece[4];
        size_t length = n - at < 4 ? n - at : 4;
        if (r % 100 < 50) {
            memcpy(piece, words[(r >> 8) % 256 * ((r >> 16) % 256) / 256], 4);
        } else if (r % 100 < 62 && at > 4096) {
            size_t back = 64 + (r >> 8) % 4000, repeat = 8 + (r >> 40) % 24;
            for (; repeat > 0 && at < n; repeat--, at++)
                to[at] = to[at - back];
            continue;
        } else {
            uint64_t constant = next_random(&seed);
            memcpy(piece, &constant, 4);
        }
        memcpy(to + at, piece, length);
        at += length;
    }
}
