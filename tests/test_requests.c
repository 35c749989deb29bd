/* Content follows an erase request at once: what happens if the request or its answer is lost, or
 * refused. */
#include <string.h>

#include "harness.h"
#include "pack/content_packer.h"
#include "port_filter.h"
#include "rig.h"

#define ODD 0x40123u
#define EVEN 0x40000u
#define LENGTH 0x30000u
#define ALWAYS UINT32_MAX
#define MS UINT64_C(1000000)

static uint8_t content[LENGTH];

/* Damages frames of one kind on their way, or loses all that is sent. */
struct spoiler {
    const struct wry_port *inner;
    struct wry_port port;
    uint8_t sent, heard; /* kinds of frames; 0: none */
    uint32_t which;      /* bit n: the n-th frame of such a kind */
    unsigned seen;
    uint8_t before;  /* the last byte received */
    uint32_t passes; /* bytes until the line is dead */
};

static bool spoils(struct spoiler *spoiler, uint8_t kind, uint8_t wanted)
{
    if (wanted == 0 || kind != wanted)
        return false;
    unsigned n = spoiler->seen++;
    return spoiler->which == ALWAYS || (n < 32 && (spoiler->which >> n & 1) != 0);
}

static enum wry_status spoil_write(void *context, const uint8_t *bytes, size_t n)
{
    struct spoiler *spoiler = context;
    uint8_t copy[4096];

    if (spoiler->passes < n)
        return WRY_OK;
    spoiler->passes -= (uint32_t)n;
    memcpy(copy, bytes, n);
    if (n > 8 && bytes[0] == WRY_FRAME_FLAG && spoils(spoiler, bytes[1], spoiler->sent))
        copy[4] ^= 1;
    return spoiler->inner->write(spoiler->inner->context, copy, n);
}

static enum wry_status spoil_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                  size_t *got)
{
    struct spoiler *spoiler = context;
    enum wry_status status =
        spoiler->inner->read(spoiler->inner->context, bytes, room, deadline, got);

    for (size_t i = 0; i < *got; i++) {
        uint8_t byte = bytes[i];
        if (spoiler->before == WRY_FRAME_FLAG && spoils(spoiler, byte, spoiler->heard))
            bytes[i] ^= 1;
        spoiler->before = byte;
    }
    return status;
}

struct bench {
    struct rig *rig;
    struct spoiler spoiler;
    struct pack *pack;
    struct wry_placement items[2];
    struct wry_plan plan;
};

/* Two parts; if offset is odd, both ends of each share their sectors. */
static void begin_at(struct bench *bench, const struct rig_setup *setup, bool streams,
                     uint32_t offset, uint32_t length)
{
    struct wry_fault fault;
    struct rig *rig = bench->rig = rig_new(setup);

    rig_mixed(content, sizeof content, setup->seed);
    bench->pack = pack_new();
    rig->config.packer = streams ? pack_packer(bench->pack) : NULL;
    rig_new_session(rig, 7);
    bench->spoiler = (struct spoiler){.inner = &rig->adapter.port, .passes = UINT32_MAX};
    bench->spoiler.port = port_filter(&bench->spoiler);
    bench->spoiler.port.write = spoil_write;
    bench->spoiler.port.read = spoil_read;
    rig->session.port = &bench->spoiler.port;
    bench->items[0] = (struct wry_placement){
        .offset = offset, .length = length / 2, .reader = rig_reader(content)};
    bench->items[1] = (struct wry_placement){.offset = offset + length,
                                             .length = length / 2,
                                             .reader = rig_reader(content + length / 2)};
    CHECK_EQUAL(WRY_OK, wry_plan_init(&bench->plan, bench->items, 2, rig->flash_size, &fault));
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
}

static void begin(struct bench *bench, const struct rig_setup *setup, bool streams)
{
    begin_at(bench, setup, streams, ODD, LENGTH);
}

static void finish(struct bench *bench)
{
    pack_free(bench->pack);
    rig_free(bench->rig);
}

static const struct rig_setup setups[] = {
    {.seed = 1, .flash_size = 0x200000, .chip_code = WRY_CHIP_SANDERLING_S1},
    {.seed = 2, .flash_size = 0x200000, .chip_code = WRY_CHIP_TURNSTONE_T2},
    {.seed = 3, .flash_size = 0x200000, .chip_code = WRY_CHIP_DUNLIN_D3, .max_speed = 115200},
};

/* Bits of the frames that are lost. */
static const uint32_t lost[] = {1, 2, 3, 5, 6, 0x0F, 0x15};

static void lose(uint8_t sent, uint8_t heard)
{
    for (size_t i = 0; i < 3 * 2 * (sizeof lost / sizeof lost[0]); i++) {
        struct rig_setup setup = setups[i % 3];
        struct bench bench;
        setup.blank = i % 4 < 2;
        /* The digest of a short part is there before the request is repeated. */
        begin_at(&bench, &setup, i % 2 == 0, ODD, LENGTH >> i % 5);
        bench.spoiler.sent = sent;
        bench.spoiler.heard = heard;
        bench.spoiler.which = lost[i / 6];
        check_context("chip %04X, blank %u, frames %X", setup.chip_code, setup.blank,
                      (unsigned)bench.spoiler.which);
        uint64_t begun = bench.rig->adapter.now;
        CHECK_EQUAL(WRY_OK, wry_session_write(&bench.rig->session, &bench.plan));
        CHECK(rig_holds(bench.rig, bench.items, 2));
        CHECK(bench.spoiler.seen >= 3);
        /* 192 KiB take 17 s at 115200, without compression; each loss a moment. */
        CHECK((bench.rig->adapter.now - begun) / MS < 25000);
        finish(&bench);
    }
}

static void a_lost_request_costs_a_moment(void)
{
    lose(WRY_KIND_ERASE, 0);
}

static void a_lost_answer_costs_a_moment(void)
{
    lose(0, WRY_KIND_ERASE | WRY_KIND_REPLY);
}

/* The digest that is asked for with the request would be of what was there before. */
static void a_lost_digest_request_is_asked_again(void)
{
    lose(WRY_KIND_DIGEST, 0);
}

static void a_request_that_never_arrives_ends_the_write(void)
{
    for (int heard = 0; heard < 2; heard++) {
        struct bench bench;
        begin(&bench, &setups[1], true);
        bench.spoiler.sent = heard ? 0 : WRY_KIND_ERASE;
        bench.spoiler.heard = heard ? WRY_KIND_ERASE | WRY_KIND_REPLY : 0;
        bench.spoiler.which = ALWAYS;
        CHECK_EQUAL(WRY_LINK_LOST, wry_session_write(&bench.rig->session, &bench.plan));
        /* A request that no board has accepted changes nothing. */
        CHECK(heard || rig_holds(bench.rig, bench.items, 0));
        CHECK(bench.rig->adapter.now / MS < 200000);
        finish(&bench);
    }
}

static void a_refused_request_changes_nothing(void)
{
    struct bench bench;

    begin(&bench, &setups[1], true);
    bench.rig->board.die.status |= 0x1C; /* all of it is protected */
    CHECK_EQUAL(WRY_PROTECTED, wry_session_write(&bench.rig->session, &bench.plan));
    CHECK(rig_holds(bench.rig, bench.items, 0));
    finish(&bench);
}

/* After a lost link the board may still be in the middle of a job that the next call replaces. */
static void content_never_goes_to_an_earlier_job(void)
{
    for (uint32_t bytes = 2000; bytes < 60000; bytes += 4100) {
        struct bench bench;
        begin_at(&bench, &setups[bytes % 3], bytes % 8 != 0, EVEN, LENGTH);
        check_context("cut after %u bytes", (unsigned)bytes);
        bench.spoiler.passes = bytes;
        CHECK_EQUAL(WRY_LINK_LOST, wry_session_write(&bench.rig->session, &bench.plan));
        bench.spoiler.passes = UINT32_MAX;
        rig_random(content, sizeof content, bytes);
        CHECK_EQUAL(WRY_OK, wry_session_write(&bench.rig->session, &bench.plan));
        CHECK(rig_holds(bench.rig, bench.items, 2));
        finish(&bench);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_lost_request_costs_a_moment),
        FACT(a_lost_answer_costs_a_moment),
        FACT(a_lost_digest_request_is_asked_again),
        FACT(a_request_that_never_arrives_ends_the_write),
        FACT(a_refused_request_changes_nothing),
        FACT(content_never_goes_to_an_earlier_job),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
