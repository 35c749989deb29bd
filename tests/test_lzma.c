/* LZMA against liblzma: whole, in pieces, over old content, and with streams that are none. */
#include <lzma.h>
#include <stdlib.h>
#include <string.h>

#include "demo/program_like.h"
#include "harness.h"
#include "rig.h"
#include "sim/random.h"
#include "wrytograph/lzma.h"

enum {
    MOST = 200000,
    OLD = 96 * 1024,
    TAIL = WRY_LZMA_AHEAD,
};

static uint8_t old[OLD], content[MOST], packed[2 * MOST], out[MOST + 70000], window[65536];

/* How a stream is made. */
struct terms {
    unsigned lc, lp, pb;
    uint32_t reach, old_length;
    bool quick;
};

static uint8_t parameters_of(const struct terms *terms)
{
    return (uint8_t)((terms->pb * 5 + terms->lp) * 9 + terms->lc);
}

static void set_options(const struct terms *terms, lzma_options_lzma *options)
{
    CHECK(!lzma_lzma_preset(options, terms->quick ? 0 : 6));
    options->dict_size = terms->reach;
    options->lc = terms->lc;
    options->lp = terms->lp;
    options->pb = terms->pb;
    options->preset_dict = terms->old_length > 0 ? old + OLD - terms->old_length : NULL;
    options->preset_dict_size = terms->old_length;
}

static size_t pack(size_t n, const struct terms *terms)
{
    lzma_options_lzma options;
    const lzma_filter filters[] = {{.id = LZMA_FILTER_LZMA1, .options = &options},
                                   {.id = LZMA_VLI_UNKNOWN}};
    size_t length = 0;

    set_options(terms, &options);
    CHECK_EQUAL(LZMA_OK, lzma_raw_buffer_encode(filters, NULL, content, n, packed, &length,
                                                sizeof packed - TAIL));
    memset(packed + length, 0, TAIL);
    return length + TAIL;
}

/* Unpacking in pieces. */
struct unpacking {
    struct wry_lzma lzma;
    uint64_t random;
    size_t step; /* bytes at most each way; 0: of random length */
    size_t fars; /* times that bytes were asked for */
};

static size_t some(struct unpacking *u)
{
    return u->step > 0 ? u->step : 1 + sim_random(&u->random) % 700;
}

static void take_out(const struct wry_lzma *lzma, uint32_t from)
{
    for (; from != lzma->total; from++) {
        if (from < sizeof out)
            out[from] = window[from & lzma->mask];
    }
}

/* What is far back: old content, or what came out before. */
static void supply(struct unpacking *u, uint32_t room)
{
    uint32_t back, total = u->lzma.total, n = wry_lzma_far(&u->lzma, &back);
    uint8_t bytes[512];

    n = n < room ? n : room;
    CHECK(back > 0 && back <= total + u->lzma.before);
    for (uint32_t i = 0; i < n; i++)
        bytes[i] = back > total ? old[OLD - (back - total) + i] : out[total - back + i];
    wry_lzma_supply(&u->lzma, bytes, n);
    u->fars++;
}

static enum wry_lzma_result run_once(struct unpacking *u, struct wry_lzma_input *input)
{
    uint32_t begun = u->lzma.total, room = (uint32_t)some(u), before;
    enum wry_lzma_result result;

    room = room <= u->lzma.mask ? room : u->lzma.mask + 1;
    do {
        before = u->lzma.total;
        result = wry_lzma_run(&u->lzma, input, room - (before - begun));
        take_out(&u->lzma, before);
        before = u->lzma.total;
        if (result == WRY_LZMA_FAR)
            supply(u, room - (before - begun));
        take_out(&u->lzma, before);
    } while (result == WRY_LZMA_FAR);
    CHECK(u->lzma.total - begun <= room);
    return result;
}

static enum wry_lzma_result unpack(struct unpacking *u, size_t n)
{
    enum wry_lzma_result result = WRY_LZMA_INPUT;

    for (size_t at = 0; at < n && result == WRY_LZMA_INPUT;) {
        size_t piece = some(u);
        struct wry_lzma_input input = {.bytes = packed + at, .n = piece < n - at ? piece : n - at};
        at += input.n;
        do {
            result = run_once(u, &input);
        } while (result == WRY_LZMA_OUTPUT && u->lzma.total < sizeof out);
    }
    return result;
}

static void begin(struct unpacking *u, const struct terms *terms, uint32_t window_size)
{
    CHECK(wry_lzma_supports(parameters_of(terms)));
    memset(window, 0xA5, sizeof window);
    wry_lzma_init(&u->lzma, parameters_of(terms), window, window_size, terms->old_length);
}

static void check_back(size_t n, size_t length, const struct terms *terms, uint32_t window_size,
                       size_t step)
{
    struct unpacking u = {.random = n + length, .step = step};

    begin(&u, terms, window_size);
    CHECK_EQUAL(WRY_LZMA_END, unpack(&u, length));
    CHECK_EQUAL(n, u.lzma.total);
    CHECK(memcmp(content, out, n) == 0);
    CHECK_EQUAL(0, terms->old_length > 0 ? 0 : u.fars);
}

/* The parameters that are supported. */
static struct terms terms_of(uint64_t seed)
{
    static const uint8_t literal[][2] = {{0, 0}, {0, 1}, {1, 0}};

    return (struct terms){.lc = literal[seed % 3][0],
                          .lp = literal[seed % 3][1],
                          .pb = (unsigned)(seed / 3 % 3),
                          .reach = 4096u << seed % 5,
                          .quick = seed % 2 == 0};
}

static void fill(size_t n, uint64_t seed)
{
    if (seed % 3 == 0)
        rig_random(content, n, seed);
    else if (seed % 3 == 1)
        rig_mixed(content, n, seed);
    else
        fill_like_program(content, n < 16384 ? 16384 : n, seed, 0);
}

static void what_liblzma_packs_comes_back(void)
{
    for (uint64_t seed = 0; seed < 60; seed += check_one_in(2)) {
        size_t n = seed == 0 ? 0 : seed < 8 ? seed : (size_t)(seed * seed * 50 % MOST);
        struct terms terms = terms_of(seed);
        fill(n, seed);
        size_t length = pack(n, &terms);
        check_context("seed %u: %zu bytes", (unsigned)seed, n);
        check_back(n, length, &terms, terms.reach, 0);
        check_back(n, length, &terms, 65536, 4096);
    }
}

static void it_goes_on_byte_by_byte(void)
{
    for (uint64_t seed = 0; seed < 9; seed++) {
        struct terms terms = terms_of(seed);
        fill(30000, seed + 1);
        check_back(30000, pack(30000, &terms), &terms, terms.reach, 1);
    }
}

/* The next version of a program over the one before, with a window smaller than what is reached. */
static void old_content_is_asked_for(void)
{
    static const uint32_t windows[] = {256, 4096, 32768};

    fill_like_program(old, OLD, 5, 0);
    for (uint64_t seed = 0; seed < 9; seed++) {
        uint32_t old_length = OLD - (uint32_t)seed * 8192;
        struct terms terms = terms_of(seed);
        terms.old_length = old_length;
        terms.reach = old_length + 30000;
        fill_like_program(content, OLD, 5, 1 + (unsigned)seed % 2);
        size_t length = pack(OLD, &terms);
        check_context("seed %u: %zu bytes", (unsigned)seed, length);
        CHECK(seed > 0 || length < OLD / 4);
        check_back(OLD, length, &terms, windows[seed % 3], seed == 4 ? 1 : 0);
    }
}

static void a_distance_beyond_what_is_allowed_is_damage(void)
{
    struct terms terms = {.lp = 1, .pb = 2, .reach = 65536};
    struct unpacking u = {.random = 1};

    rig_random(content, 30000, 3);
    memcpy(content + 20000, content, 10000);
    size_t length = pack(30000, &terms);
    begin(&u, &terms, 4096);
    CHECK_EQUAL(WRY_LZMA_DAMAGED, unpack(&u, length));
    CHECK(u.lzma.total >= 20000 && u.lzma.total < 20300);
    /* And it stays so. */
    struct wry_lzma_input input = {.bytes = packed, .n = 10};
    CHECK_EQUAL(WRY_LZMA_DAMAGED, wry_lzma_run(&u.lzma, &input, 100));
    CHECK_EQUAL(10, input.n);
    /* With old content, but less of it than the stream refers to. */
    rig_random(old, OLD, 4);
    memcpy(content, old + OLD - 9000, 9000);
    terms.old_length = 9000;
    length = pack(30000, &terms);
    terms.old_length = 8999;
    begin(&u, &terms, 4096);
    CHECK_EQUAL(WRY_LZMA_DAMAGED, unpack(&u, length));
}

static void only_small_parameters_are_supported(void)
{
    for (unsigned p = 0; p < 256; p++) {
        unsigned lc = p % 9, lp = p / 9 % 5, pb = p / 45;
        CHECK_EQUAL(lc + lp <= 1 && pb <= 2, wry_lzma_supports((uint8_t)p));
    }
}

/* What liblzma says of the same stream: the bytes that come out, and whether it ends. */
static bool theirs_ends(size_t n, const struct terms *terms, uint8_t *to, size_t room, size_t *made)
{
    lzma_options_lzma options;
    const lzma_filter filters[] = {{.id = LZMA_FILTER_LZMA1, .options = &options},
                                   {.id = LZMA_VLI_UNKNOWN}};
    lzma_stream stream = LZMA_STREAM_INIT;

    set_options(terms, &options);
    CHECK_EQUAL(LZMA_OK, lzma_raw_decoder(&stream, filters));
    stream.next_in = packed;
    stream.avail_in = n;
    stream.next_out = to;
    stream.avail_out = room;
    lzma_ret said = lzma_code(&stream, LZMA_RUN);
    *made = (size_t)stream.total_out;
    lzma_end(&stream);
    return said == LZMA_STREAM_END;
}

static void damaged_streams_end_as_liblzma_says(void)
{
    static uint8_t theirs[sizeof out];
    uint64_t random = 7;
    unsigned ended = 0;

    for (unsigned round = 0; round < 2400; round += check_one_in(4)) {
        struct terms terms = terms_of(round);
        size_t n = 200 + sim_random(&random) % 3000, made;
        fill(n, round);
        size_t length = pack(n, &terms);
        for (unsigned i = 0; i <= round % 3; i++)
            packed[sim_random(&random) % length] ^= (uint8_t)(1u << sim_random(&random) % 8);
        struct unpacking u = {.random = round};
        begin(&u, &terms, terms.reach);
        enum wry_lzma_result result = unpack(&u, length);
        bool ends = theirs_ends(length, &terms, theirs, sizeof theirs, &made);
        check_context("round %u", round);
        /* Theirs may need fewer bytes after the last symbol. */
        CHECK(memcmp(theirs, out, made < u.lzma.total ? made : u.lzma.total) == 0);
        if (result == WRY_LZMA_END) {
            CHECK(ends);
            CHECK_EQUAL(made, u.lzma.total);
        }
        ended += ends;
    }
    CHECK(ended > 0);
}

static void any_bytes_end_or_wait(void)
{
    for (uint64_t seed = 1; seed < 400; seed += check_one_in(4)) {
        struct terms terms = terms_of(seed);
        struct unpacking u = {.random = seed};
        rig_random(packed, 3000, seed);
        packed[0] = seed % 16 == 0 ? packed[0] : 0;
        terms.old_length = seed % 2 == 0 ? OLD : 0;
        begin(&u, &terms, terms.reach);
        unpack(&u, 3000);
        CHECK(u.lzma.total <= sizeof out + 65536);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(what_liblzma_packs_comes_back),
        FACT(it_goes_on_byte_by_byte),
        FACT(old_content_is_asked_for),
        FACT(a_distance_beyond_what_is_allowed_is_damage),
        FACT(only_small_parameters_are_supported),
        FACT(damaged_streams_end_as_liblzma_says),
        FACT(any_bytes_end_or_wait),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
