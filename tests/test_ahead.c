/* Ways to pack the same content, measured at once: what comes out is as one by one. */
#include <pthread.h>
#include <stdlib.h>
#include <string.h>

#include "demo/program_like.h"
#include "harness.h"
#include "known.h"
#include "pack/content_packer.h"
#include "pack/shared.h"
#include "wrytograph/flash.h"
#include "wrytograph/message.h"

enum {
    FLASH = 0x100000,
    OFFSET = 0x41000,
    LENGTH = 0x20000,
    PIECE = 0x8000,
    PIECES = (LENGTH - 1) / PIECE + 1,
    WAYS = 4,
    ROOM = 2 * LENGTH,
};

static uint8_t content[LENGTH];

/* Readers that belong to one thread, and can be stopped. */
struct bench {
    struct known held;
    struct wry_known known;
    pthread_t owner;
    bool stopped;
    unsigned reads, stops_at; /* reads of the content; 0: does not stop by itself */
    unsigned strangers;       /* calls by other threads */
    struct wry_packing ways[WAYS];
};

static void look_who(struct bench *bench)
{
    bench->strangers += !pthread_equal(bench->owner, pthread_self());
}

static bool read_content(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    struct bench *bench = context;

    look_who(bench);
    bench->reads++;
    if (bench->stopped || (bench->stops_at > 0 && bench->reads > bench->stops_at))
        return false;
    memcpy(to, content + offset, n);
    return true;
}

static bool read_known(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    struct bench *bench = context;

    look_who(bench);
    return bench->held.known.read(&bench->held, offset, to, n);
}

static uint32_t covers(void *context, uint32_t offset, uint32_t length)
{
    struct bench *bench = context;

    look_who(bench);
    return bench->held.known.covers(&bench->held, offset, length);
}

/* The last sector, and one in the middle. */
static bool is_shared(void *context, uint32_t offset)
{
    look_who(context);
    return offset + WRY_SECTOR_SIZE == OFFSET + LENGTH || offset == OFFSET + 0x8000;
}

static void begin(struct bench *bench, bool small, bool thorough, bool shares)
{
    static const uint8_t codings[WAYS] = {WRY_CODING_LZMA, WRY_CODING_LZMA_DIFFERENCE,
                                          WRY_CODING_LZMA_OLD, WRY_CODING_LZMA_OLD};
    static uint8_t old[LENGTH];

    *bench = (struct bench){.owner = pthread_self()};
    known_init(&bench->held, FLASH);
    fill_like_program(old, sizeof old, 5, 0);
    fill_like_program(content, sizeof content, 5, 1);
    known_add(&bench->held, OFFSET, old, sizeof old);
    bench->held.guesses = true;
    bench->held.recognitions = 1;
    bench->known = (struct wry_known){.context = bench, .covers = covers, .read = read_known};
    for (unsigned i = 0; i < WAYS; i++)
        bench->ways[i] = (struct wry_packing){.content = {.context = bench, .read = read_content},
                                              .length = LENGTH,
                                              .coding = codings[i],
                                              .window = small ? 4096 : 0x8000,
                                              .filters = i == 0 ? 0x1E : 0,
                                              .offset = OFFSET,
                                              .thorough = thorough,
                                              .down = i == 3,
                                              .old_block = small ? 0x8000 : 0x10000,
                                              .old_history = small ? 0 : 0x10000,
                                              .known = &bench->known,
                                              .is_shared = shares ? is_shared : NULL};
}

static void finish(struct bench *bench)
{
    CHECK_EQUAL(0, bench->strangers);
    known_free(&bench->held);
}

static void prepare(const struct bench *bench, struct pack *pack)
{
    const struct wry_packer *packer = pack_packer(pack);

    packer->prepare(packer->context, bench->ways, WAYS, PIECE, PIECES);
}

static bool measure(const struct bench *bench, struct pack *pack, unsigned way, uint32_t *ends)
{
    const struct wry_packer *packer = pack_packer(pack);

    memset(ends, 0, PIECES * sizeof *ends);
    return packer->measure(packer->context, &bench->ways[way], false, PIECE, ends, PIECES);
}

static size_t pack_whole(const struct bench *bench, struct pack *pack, unsigned way, uint8_t *to)
{
    const struct wry_packer *packer = pack_packer(pack);
    struct wry_stream_form form;
    size_t n = 0, given = 1;

    CHECK(packer->begin(packer->context, &bench->ways[way], &form));
    for (; given > 0; n += given)
        CHECK(packer->give(packer->context, to + n, 1000, &given));
    return n;
}

static void ways_measured_at_once_are_as_long_as_one_by_one(void)
{
    for (unsigned i = 0; i < 8; i += check_one_in(3)) {
        struct bench bench;
        struct pack *single = pack_new(), *together = pack_new();
        uint32_t ours[PIECES], theirs[PIECES], least = UINT32_MAX;
        begin(&bench, i & 1, i & 2, i & 4);
        prepare(&bench, together);
        /* In another order than they were begun. */
        for (unsigned n = WAYS; n-- > 0;) {
            check_context("case %u, way %u", i, n);
            CHECK(measure(&bench, single, n, ours));
            CHECK(measure(&bench, together, n, theirs));
            CHECK(memcmp(ours, theirs, sizeof ours) == 0);
            least = ours[PIECES - 1] < least ? ours[PIECES - 1] : least;
        }
        CHECK(least > 1000 && least < LENGTH / 4);
        pack_free(single);
        pack_free(together);
        finish(&bench);
    }
}

/* Whoever begins a stream does not wait for the rest of them. */
static void a_stream_may_begin_before_all_is_measured(void)
{
    static uint8_t alone[ROOM], after[ROOM];

    for (unsigned way = 0; way < WAYS; way++) {
        struct bench bench;
        struct pack *single = pack_new(), *together = pack_new();
        check_context("way %u", way);
        begin(&bench, false, true, false);
        prepare(&bench, together);
        size_t n = pack_whole(&bench, single, way, alone);
        CHECK_EQUAL(n, pack_whole(&bench, together, way, after));
        CHECK(memcmp(alone, after, n) == 0);
        prepare(&bench, together); /* and nobody asks */
        pack_free(single);
        pack_free(together);
        finish(&bench);
    }
}

static void a_stop_is_heard_and_leaves_nothing_half_known(void)
{
    for (unsigned way = 0; way < WAYS; way++) {
        struct bench bench;
        struct pack *single = pack_new(), *together = pack_new();
        uint32_t ours[PIECES], theirs[PIECES];
        check_context("way %u", way);
        begin(&bench, true, true, true);
        bench.stopped = true;
        prepare(&bench, together); /* nothing can be read */
        CHECK(!measure(&bench, together, way, theirs));
        bench.stopped = false;
        prepare(&bench, together);
        bench.stopped = true;
        CHECK(!measure(&bench, together, way, theirs));
        prepare(&bench, together); /* which ends those before */
        bench.stopped = false;
        CHECK(measure(&bench, single, way, ours) && measure(&bench, together, way, theirs));
        CHECK(memcmp(ours, theirs, sizeof ours) == 0);
        pack_free(single);
        pack_free(together);
        finish(&bench);
    }
}

/* Their content is read long before they are encoded. */
static void a_stop_is_heard_while_records_are_encoded(void)
{
    struct bench bench;
    struct pack *pack = pack_new();
    uint32_t ends[PIECES];

    begin(&bench, true, true, false);
    CHECK(measure(&bench, pack, 1, ends));
    unsigned all = bench.reads;
    pack_free(pack);
    CHECK(all > LENGTH / WRY_SECTOR_SIZE + 4);
    for (unsigned n = 1; n < all; n++) {
        pack = pack_new();
        bench.reads = 0;
        bench.stops_at = all - n;
        CHECK(!measure(&bench, pack, 1, ends));
        pack_free(pack);
        n += n / 2;
    }
    finish(&bench);
}

static void packers_that_share_measure_once(void)
{
    struct pack_shared *shared = pack_shared_new();
    struct pack *packs[3];
    struct bench bench;
    uint32_t ours[PIECES], theirs[PIECES];

    begin(&bench, false, true, false);
    CHECK(pack_shared_claim(shared, &bench.ways[0]));
    CHECK(!pack_shared_claim(shared, &bench.ways[0]));
    for (unsigned i = 0; i < 3; i++) {
        packs[i] = pack_new();
        pack_share(packs[i], shared);
        prepare(&bench, packs[i]);
    }
    for (unsigned way = 0; way < WAYS; way++) {
        CHECK(measure(&bench, packs[0], way, ours));
        for (unsigned i = 1; i < 3; i++) {
            CHECK(measure(&bench, packs[i], way, theirs));
            CHECK(memcmp(ours, theirs, sizeof ours) == 0);
        }
    }
    CHECK_EQUAL(2, pack_shared_count(shared)); /* the others are estimates */
    for (unsigned i = 0; i < 3; i++)
        pack_free(packs[i]);
    pack_shared_free(shared);
    finish(&bench);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(ways_measured_at_once_are_as_long_as_one_by_one),
        FACT(a_stream_may_begin_before_all_is_measured),
        FACT(a_stop_is_heard_and_leaves_nothing_half_known),
        FACT(a_stop_is_heard_while_records_are_encoded),
        FACT(packers_that_share_measure_once),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
