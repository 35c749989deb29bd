/* Inflate against zlib, whole and in pieces, and against streams that are none. */
#include <stdlib.h>
#include <string.h>
#include <zlib.h>

#include "harness.h"
#include "rig.h"
#include "sim/random.h"
#include "wrytograph/inflate.h"

enum {
    MOST = 300000,
    PACKED_MOST = MOST + MOST / 1000 + 1000,
};

static uint8_t content[MOST], packed[PACKED_MOST], window[WRY_INFLATE_WINDOW_MAX], out[MOST + 600];

static size_t pack(size_t n, int level, int window_bits, int strategy)
{
    z_stream z = {
        .next_in = content, .avail_in = (uInt)n, .next_out = packed, .avail_out = sizeof packed};

    CHECK_EQUAL(Z_OK, deflateInit2(&z, level, Z_DEFLATED, -window_bits, 9, strategy));
    CHECK_EQUAL(Z_STREAM_END, deflate(&z, Z_FINISH));
    size_t length = z.total_out;
    deflateEnd(&z);
    return length;
}

/* What came out since, from the ring. */
static void take_out(const struct wry_inflate *inflate, uint32_t from)
{
    for (; from != inflate->total; from++) {
        if (from < sizeof out)
            out[from] = window[from & inflate->mask];
    }
}

/* In pieces of at most step bytes each way; 0: of random length. Returns the last result. */
static enum wry_inflate_result unpack(struct wry_inflate *inflate, size_t n, size_t step,
                                      uint64_t seed)
{
    enum wry_inflate_result result = WRY_INFLATE_INPUT;
    uint64_t random = seed + 99;

    for (size_t at = 0; at < n;) {
        size_t piece = step > 0 ? step : 1 + sim_random(&random) % 700;
        struct wry_inflate_input input = {.bytes = packed + at,
                                          .n = piece < n - at ? piece : n - at};
        at += input.n;
        do {
            uint32_t before = inflate->total;
            uint32_t room = step > 0 ? (uint32_t)step : 1 + (uint32_t)(sim_random(&random) % 700);
            room = room < inflate->mask + 1 ? room : inflate->mask + 1;
            result = wry_inflate_run(inflate, &input, room);
            CHECK(inflate->total - before <= room);
            take_out(inflate, before);
        } while (result == WRY_INFLATE_OUTPUT && inflate->total < sizeof out);
        if (result != WRY_INFLATE_INPUT)
            break;
    }
    return result;
}

static void check_back(size_t n, size_t length, int window_bits, size_t step)
{
    struct wry_inflate inflate;

    memset(window, 0xA5, sizeof window);
    wry_inflate_init(&inflate, window, 1u << window_bits);
    CHECK_EQUAL(WRY_INFLATE_END, unpack(&inflate, length, step, n));
    CHECK_EQUAL(n, inflate.total);
    CHECK(memcmp(content, out, n) == 0);
}

static void what_zlib_packs_comes_back(void)
{
    static const int strategies[] = {Z_DEFAULT_STRATEGY, Z_HUFFMAN_ONLY, Z_RLE, Z_FIXED};

    for (uint64_t seed = 0; seed < 60; seed++) {
        size_t n = seed == 0 ? 0 : seed < 8 ? seed : (size_t)(seed * seed * 70 % MOST);
        int bits = 9 + (int)(seed % 7), level = (int)(seed % 10);
        rig_mixed(content, n, seed);
        size_t length = pack(n, level, bits, strategies[seed % 4]);
        check_back(n, length, bits, 0);
        check_back(n, length, 15, 4096);
    }
}

static void it_goes_on_byte_by_byte(void)
{
    for (int level = 0; level < 10; level += 3) {
        rig_mixed(content, 40000, (uint64_t)level);
        check_back(40000, pack(40000, level, 12, Z_DEFAULT_STRATEGY), 12, 1);
    }
}

static void a_distance_beyond_the_window_is_damage(void)
{
    struct wry_inflate inflate;

    rig_mixed(content, 30000, 3);
    memcpy(content + 20000, content, 10000);
    size_t length = pack(30000, 9, 15, Z_DEFAULT_STRATEGY);
    wry_inflate_init(&inflate, window, 4096);
    CHECK_EQUAL(WRY_INFLATE_DAMAGED, unpack(&inflate, length, 0, 1));
    CHECK(inflate.total <= 30000);
    /* And it stays so. */
    struct wry_inflate_input input = {.bytes = packed, .n = 10};
    CHECK_EQUAL(WRY_INFLATE_DAMAGED, wry_inflate_run(&inflate, &input, 100));
    CHECK_EQUAL(10, input.n);
}

/* Both say the same of a stream: what comes out, or that it is none. */
static void agree(size_t n)
{
    static uint8_t theirs[sizeof out];
    struct wry_inflate ours;
    z_stream z = {
        .next_in = packed, .avail_in = (uInt)n, .next_out = theirs, .avail_out = sizeof theirs};

    CHECK_EQUAL(Z_OK, inflateInit2(&z, -15));
    int said = inflate(&z, Z_FINISH);
    wry_inflate_init(&ours, window, WRY_INFLATE_WINDOW_MAX);
    enum wry_inflate_result result = unpack(&ours, n, 0, n);
    CHECK((said == Z_STREAM_END) == (result == WRY_INFLATE_END));
    if (said == Z_STREAM_END) {
        CHECK_EQUAL(z.total_out, ours.total);
        CHECK(memcmp(theirs, out, z.total_out) == 0);
    }
    inflateEnd(&z);
}

static void damaged_streams_end_as_zlib_says(void)
{
    uint64_t random = 7;

    for (unsigned round = 0; round < 3000; round++) {
        size_t n = 200 + sim_random(&random) % 3000;
        rig_mixed(content, n, round);
        size_t length = pack(n, (int)(round % 10), 15, round % 3 == 0 ? Z_FIXED : 0);
        unsigned hits = 1 + (unsigned)(sim_random(&random) % 3);
        for (unsigned i = 0; i < hits; i++)
            packed[sim_random(&random) % length] ^= (uint8_t)(1u << sim_random(&random) % 8);
        agree(length);
    }
}

static void noise_never_does_harm(void)
{
    uint64_t random = 11;

    for (unsigned round = 0; round < 20000; round++) {
        size_t n = 1 + sim_random(&random) % 120;
        for (size_t i = 0; i < n; i++)
            packed[i] = (uint8_t)sim_random(&random);
        if (round % 2 == 0) /* a dynamic block, which most noise is not */
            packed[0] = (uint8_t)((packed[0] & ~7u) | 5u);
        agree(n);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(what_zlib_packs_comes_back),
        FACT(it_goes_on_byte_by_byte),
        FACT(a_distance_beyond_the_window_is_damage),
        FACT(damaged_streams_end_as_zlib_says),
        FACT(noise_never_does_harm),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
