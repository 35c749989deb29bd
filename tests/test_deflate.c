/* Deflate: what it packs, zlib and our own inflater take apart; and how well it packs. */
#include <stdlib.h>
#include <string.h>
#include <zlib.h>

#include "demo/firmware_like.h"
#include "demo/program_like.h"
#include "harness.h"
#include "rig.h"
#include "sim/random.h"
#include "wrytograph/deflate.h"
#include "wrytograph/inflate.h"

enum {
    MOST = 400000,
};

static uint8_t content[MOST], packed[MOST + MOST / 100 + 1000], other[sizeof packed], out[MOST + 1];
static uint16_t memory[WRY_DEFLATE_MEMORY_MOST / 2];
static struct wry_deflate deflate_;
static bool quick;

/* step: bytes in and out at once; 0: of random size. */
static size_t pack(uint8_t *to, size_t n, size_t memory_size, size_t step, uint64_t seed)
{
    uint64_t random = seed;
    size_t in = 0, made = 0;

    wry_deflate_init(&deflate_, memory, memory_size);
    if (quick)
        wry_deflate_set_quick(&deflate_);
    while (!wry_deflate_is_over(&deflate_)) {
        size_t most = step > 0 ? step : 1 + sim_random(&random) % 900;
        size_t room = wry_deflate_room(&deflate_), give = n - in < room ? n - in : room;
        give = give < most ? give : most;
        if (give > 0)
            wry_deflate_put(&deflate_, content + in, give);
        else if (in == n)
            wry_deflate_finish(&deflate_);
        in += give;
        size_t space = WRY_DEFLATE_TAKE_LEAST + most;
        made += wry_deflate_take(&deflate_, to + made, space);
        CHECK(made <= sizeof packed - space);
    }
    CHECK_EQUAL(n, in);
    return made;
}

static void check_by_zlib(size_t n, size_t made, int bits)
{
    z_stream z = {
        .next_in = packed, .avail_in = (uInt)made, .next_out = out, .avail_out = MOST + 1};

    CHECK_EQUAL(Z_OK, inflateInit2(&z, -bits));
    CHECK_EQUAL(Z_STREAM_END, inflate(&z, Z_FINISH));
    CHECK_EQUAL(n, z.total_out);
    CHECK_EQUAL(0, z.avail_in);
    inflateEnd(&z);
    CHECK(memcmp(out, content, n) == 0);
}

static void check_by_ours(size_t n, size_t made, uint32_t window_size)
{
    static struct wry_inflate inflate_;
    static uint8_t window[WRY_INFLATE_WINDOW_MAX];
    struct wry_inflate_input input = {.bytes = packed, .n = made};
    enum wry_inflate_result result;
    uint32_t from = 0;

    wry_inflate_init(&inflate_, window, window_size);
    do {
        result = wry_inflate_run(&inflate_, &input, 256);
        for (; from < inflate_.total; from++)
            out[from] = window[from & (window_size - 1)];
    } while (result == WRY_INFLATE_OUTPUT && from < n);
    CHECK(result == WRY_INFLATE_END || from == n);
    CHECK_EQUAL(n, from);
    CHECK(memcmp(out, content, n) == 0);
}

static const struct {
    size_t memory;
    int bits;
} sizes[] = {{WRY_DEFLATE_MEMORY_LEAST, 13}, {80 * 1024, 14}, {WRY_DEFLATE_MEMORY_MOST, 15}};

static void what_is_packed_comes_out_again(void)
{
    for (uint64_t seed = 0; seed < 300; seed++) {
        uint64_t random = seed * 31 + 7;
        size_t n = seed < 20 ? seed : sim_random(&random) % (seed % 10 == 0 ? MOST : 70000);
        size_t size = seed % 3;
        rig_mixed(content, n, seed);
        quick = seed % 2;
        size_t made = pack(packed, n, sizes[size].memory, 0, seed);
        check_context("seed %u, %zu bytes", (unsigned)seed, n);
        check_by_zlib(n, made, sizes[size].bits);
        check_by_ours(n, made, 1u << sizes[size].bits);
        CHECK(made <= n + n / 400 + 16);
    }
    quick = false;
}

static void the_same_content_in_any_pieces_gives_the_same_stream(void)
{
    static const size_t steps[] = {1, 2, 17, 256, 100000};

    for (uint64_t seed = 0; seed < 6; seed++) {
        rig_mixed(content, 60000, seed);
        size_t made = pack(packed, 60000, sizes[seed % 3].memory, 512, 0);
        for (size_t i = 0; i < sizeof steps / sizeof steps[0]; i++) {
            check_context("seed %u, step %zu", (unsigned)seed, steps[i]);
            CHECK_EQUAL(made, pack(other, 60000, sizes[seed % 3].memory, steps[i], 0));
            CHECK(memcmp(packed, other, made) == 0);
        }
    }
}

static void extremes_are_packed(void)
{
    static const uint8_t bytes[] = {0x00, 0xFF};

    for (size_t i = 0; i < 2; i++) {
        memset(content, bytes[i], MOST);
        size_t made = pack(packed, MOST, sizes[0].memory, 256, 0);
        CHECK(made < MOST / 500);
        check_by_zlib(MOST, made, 13);
    }
    /* Code lengths beyond 15 bits, were they not limited: symbols by Fibonacci's numbers. */
    size_t at = 0;
    for (size_t symbol = 0, a = 1, b = 1; at + a < MOST && symbol < 40; symbol++) {
        memset(content + at, (int)(symbol * 37 % 256), a);
        at += a;
        size_t next = a + b;
        a = b;
        b = next;
    }
    uint64_t random = 5;
    for (size_t i = at - 1; i > 0; i--) { /* shuffled, so that there are no matches */
        size_t j = sim_random(&random) % (i + 1);
        uint8_t kept = content[i];
        content[i] = content[j];
        content[j] = kept;
    }
    size_t made = pack(packed, at, sizes[2].memory, 256, 0);
    check_by_zlib(at, made, 15);
}

static size_t by_zlib(size_t n, int level)
{
    z_stream z = {
        .next_in = content, .avail_in = (uInt)n, .next_out = packed, .avail_out = sizeof packed};

    CHECK_EQUAL(Z_OK, deflateInit2(&z, level, Z_DEFLATED, -15, 8, Z_DEFAULT_STRATEGY));
    CHECK_EQUAL(Z_STREAM_END, deflate(&z, Z_FINISH));
    deflateEnd(&z);
    return z.total_out;
}

static void it_packs_nearly_as_well_as_zlib_at_level_6(void)
{
    static const unsigned most[] = {112, 108, 104}; /* percent, by memory */

    for (unsigned kind = 0; kind < 3; kind++) {
        size_t n = MOST;
        if (kind == 0)
            fill_like_program(content, n, 3, 0);
        else if (kind == 1)
            fill_like_firmware(content, n, 4);
        else
            rig_mixed(content, n, 11);
        size_t theirs = by_zlib(n, 6);
        for (size_t i = 0; i < 3; i++) {
            size_t ours = pack(packed, n, sizes[i].memory, 512, 0);
            check_context("kind %u, memory %zu: %zu of %zu", kind, sizes[i].memory, ours, theirs);
            CHECK(ours * 100 <= theirs * most[i]);
            quick = true;
            size_t quickly = pack(packed, n, sizes[i].memory, 512, 0);
            quick = false;
            check_context("kind %u, memory %zu: %zu quickly, else %zu", kind, sizes[i].memory,
                          quickly, ours);
            CHECK(quickly != ours && quickly * 100 <= ours * 107);
        }
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(what_is_packed_comes_out_again),
        FACT(the_same_content_in_any_pieces_gives_the_same_stream),
        FACT(extremes_are_packed),
        FACT(it_packs_nearly_as_well_as_zlib_at_level_6),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
