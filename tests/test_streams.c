/* Content that goes out as a stream: between session and loader, and against both. */
#include <stdlib.h>
#include <string.h>

#include "harness.h"
#include "pack/content_packer.h"
#include "rig.h"
#include "sim/random.h"

#define LENGTH 0x30000u
#define OFFSET 0x40123u

static uint8_t content[LENGTH];

/* Packs to about a third. */
static void make_content(uint64_t seed)
{
    uint64_t random = seed + 1;

    for (size_t i = 0; i < LENGTH; i++)
        content[i] = i < 512 || i / 128 % 3 == 0 ? (uint8_t)sim_random(&random) : content[i - 384];
}

struct bench {
    struct rig *rig;
    struct pack *deflate;
    struct wry_placement item;
    struct wry_plan plan;
};

static void begin(struct bench *bench, const struct rig_setup *setup)
{
    struct wry_fault fault;

    make_content(setup->seed);
    bench->rig = rig_new(setup);
    bench->deflate = pack_new();
    bench->rig->config.packer = pack_packer(bench->deflate);
    rig_new_session(bench->rig, 7);
    bench->item =
        (struct wry_placement){.offset = OFFSET, .length = LENGTH, .reader = rig_reader(content)};
    CHECK_EQUAL(WRY_OK,
                wry_plan_init(&bench->plan, &bench->item, 1, bench->rig->flash_size, &fault));
}

static void finish(struct bench *bench)
{
    pack_free(bench->deflate);
    rig_free(bench->rig);
}

static void write_and_check(struct bench *bench)
{
    struct wry_session *session = &bench->rig->session;

    CHECK_EQUAL(WRY_OK, wry_session_connect(session));
    CHECK_EQUAL(WRY_OK, wry_session_write(session, &bench->plan));
    CHECK(rig_holds(bench->rig, &bench->item, 1));
}

static void every_chip_takes_a_stream_as_far_as_its_memory_reaches(void)
{
    static const struct {
        uint16_t chip_code;
        uint32_t dictionary;
    } chips[] = {{WRY_CHIP_SANDERLING_S1, 0x4000},
                 {WRY_CHIP_TURNSTONE_T2, 0x10000},
                 {WRY_CHIP_DUNLIN_D3, 0x10000}};

    for (size_t i = 0; i < sizeof chips / sizeof chips[0]; i++) {
        struct bench bench;
        begin(&bench, &(struct rig_setup){
                          .seed = i, .chip_code = chips[i].chip_code, .flash_size = 0x200000});
        write_and_check(&bench);
        check_context("chip %04X", chips[i].chip_code);
        CHECK_EQUAL(chips[i].dictionary, wry_session_board(&bench.rig->session)->dictionary);
        CHECK(wry_session_stats(&bench.rig->session)->content_sent < LENGTH * 45u / 100);
        finish(&bench);
    }
}

/* A processor that packs 2 KB a second is no board that does not advance. */
static const struct wry_packer *slow_inner;
static struct rig *slow_rig;

static bool slow_give(void *context, uint8_t *to, size_t room, size_t *n)
{
    const struct wry_port *port = &slow_rig->adapter.port;
    bool given = slow_inner->give(context, to, room, n);

    port->sleep(port->context, port->now(port->context) + *n * 500);
    return given;
}

static void time_that_the_host_takes_is_not_the_board_s(void)
{
    struct bench bench;

    begin(&bench, &(struct rig_setup){.seed = 4, .max_speed = 115200});
    struct wry_packer slow = *bench.rig->config.packer;
    slow_inner = bench.rig->config.packer;
    slow_rig = bench.rig;
    slow.give = slow_give;
    bench.rig->config.packer = &slow;
    rig_new_session(bench.rig, 8);
    write_and_check(&bench);
    CHECK_EQUAL(0, wry_session_stats(&bench.rig->session)->reconnects);
    finish(&bench);
}

static void a_board_with_little_memory_gets_pages(void)
{
    struct bench bench;

    begin(&bench, &(struct rig_setup){.seed = 2});
    bench.rig->board.memory_size = 12 * 1024;
    write_and_check(&bench);
    CHECK(!(wry_session_board(&bench.rig->session)->features & WRY_FEATURE_STREAMS));
    CHECK(wry_session_board(&bench.rig->session)->window <= 12 * 1024);
    CHECK(wry_session_stats(&bench.rig->session)->content_sent >= LENGTH);
    finish(&bench);
}

static bool ignore(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    (void)context, (void)offset, (void)bytes, (void)n;
    return true;
}

/* The room that the header asks of a board's receiver is what the longest turns need, with half of
 * it to spare for slower processors. */
static void what_arrives_during_a_turn_fits_the_room_asked_for(void)
{
    static const uint16_t chips[] = {WRY_CHIP_SANDERLING_S1, WRY_CHIP_TURNSTONE_T2,
                                     WRY_CHIP_DUNLIN_D3};
    struct wry_writer writer = {.write = ignore};
    uint8_t digest[WRY_SHA256_SIZE];
    size_t most = 0;

    for (unsigned i = 0; i < 12; i++) {
        struct bench bench;
        begin(&bench, &(struct rig_setup){.seed = i,
                                          .chip_code = chips[i % 3],
                                          .flash_size = 0x200000,
                                          .blank = i / 6 == 1});
        if (i / 3 % 2 == 1) {
            bench.rig->config.packer = NULL;
            rig_new_session(bench.rig, 8);
        }
        write_and_check(&bench);
        CHECK_EQUAL(WRY_OK, wry_session_read(&bench.rig->session, 0x10000, 0x60000, &writer));
        CHECK_EQUAL(WRY_OK, wry_session_digest(&bench.rig->session, 0, 0x80000, digest));
        if (bench.rig->board.received_most > most)
            most = bench.rig->board.received_most;
        finish(&bench);
    }
    check_context("%zu bytes", most);
    CHECK(most <= WRY_LOADER_RECEIVE_ROOM / 2 && most > WRY_LOADER_RECEIVE_ROOM / 8);
}

static void a_host_without_a_packer_sends_pages(void)
{
    struct bench bench;

    begin(&bench, &(struct rig_setup){.seed = 3});
    bench.rig->config.packer = NULL;
    rig_new_session(bench.rig, 8);
    write_and_check(&bench);
    CHECK(wry_session_board(&bench.rig->session)->features & WRY_FEATURE_STREAMS);
    CHECK(wry_session_stats(&bench.rig->session)->content_sent >= LENGTH);
    finish(&bench);
}

static void a_packer_without_the_memory_it_needs_is_not_used(void)
{
    static const size_t sizes[] = {0, WRY_PACKER_MEMORY_LEAST - WRY_PAGE_SIZE,
                                   WRY_PACKER_MEMORY_LEAST + 1};

    for (size_t i = 0; i < sizeof sizes / sizeof sizes[0]; i++) {
        struct bench bench;
        begin(&bench, &(struct rig_setup){.seed = 5});
        struct wry_packer packer = *bench.rig->config.packer;
        packer.size = sizes[i];
        bench.rig->config.packer = &packer;
        rig_new_session(bench.rig, 8);
        write_and_check(&bench);
        CHECK(wry_session_stats(&bench.rig->session)->content_sent >= LENGTH);
        finish(&bench);
    }
}

static void a_noisy_line_costs_the_frames_it_spoils(void)
{
    for (uint64_t seed = 0; seed < 12; seed++) {
        struct bench bench;
        begin(&bench, &(struct rig_setup){.seed = seed,
                                          .max_speed = 460800,
                                          .faults = {.noise_ppb = seed % 2 ? 10000 : 100000}});
        write_and_check(&bench);
        const struct wry_session_stats *stats = wry_session_stats(&bench.rig->session);
        check_context("seed %u: %u again, %u sent", (unsigned)seed, stats->frames_resent,
                      (unsigned)stats->content_sent);
        CHECK(stats->frames_resent > 0);
        CHECK(stats->content_sent < LENGTH * 45u / 100 + stats->frames_resent * 2048u);
        finish(&bench);
    }
}

static void every_line_carries_a_stream(void)
{
    static const uint32_t speeds[] = {9600, 19200, 115200, 921600, 2000000};
    static const uint32_t noises[] = {0, 10000, 100000, 200000};

    for (size_t i = 0; i < 5 * 4 * 2; i++) {
        struct bench bench;
        struct wry_fault fault;
        uint32_t speed = speeds[i % 5];
        begin(&bench, &(struct rig_setup){.seed = i,
                                          .max_speed = speed,
                                          .blank = i % 3 == 0,
                                          .faults = {.noise_ppb = noises[i / 5 % 4]}});
        bench.rig->adapter.inbox.latency = i >= 20 ? 100 * UINT64_C(1000000) : 0;
        bench.item.length = speed < 100000 ? 0x8001 : LENGTH;
        CHECK_EQUAL(WRY_OK,
                    wry_plan_init(&bench.plan, &bench.item, 1, bench.rig->flash_size, &fault));
        check_context("%u baud, noise %u, %s latency", (unsigned)speed, (unsigned)noises[i / 5 % 4],
                      i >= 20 ? "long" : "no");
        write_and_check(&bench);
        finish(&bench);
    }
}

/* A packer whose stream is wrong from some byte on. */
struct liar {
    struct wry_packer packer;
    const struct wry_packer *honest;
    uint32_t given, lies_at;
    unsigned streams;
    bool ends; /* else it is garbage */
};

static bool liar_measure(void *context, const struct wry_packing *packing, bool exact,
                         uint32_t piece, uint32_t *ends, uint32_t count)
{
    const struct liar *liar = context;

    return liar->honest->measure(liar->honest->context, packing, exact, piece, ends, count);
}

static bool liar_begin(void *context, const struct wry_packing *packing,
                       struct wry_stream_form *form)
{
    struct liar *liar = context;

    liar->streams++;
    liar->given = 0;
    return liar->honest->begin(liar->honest->context, packing, form);
}

static bool liar_give(void *context, uint8_t *to, size_t room, size_t *given)
{
    struct liar *liar = context;

    if (!liar->honest->give(liar->honest->context, to, room, given))
        return false;
    for (size_t i = 0; i < *given; i++) {
        if (liar->given + i >= liar->lies_at)
            to[i] = liar->ends ? 0x03 : (uint8_t)~to[i]; /* 03 00: an empty last block */
    }
    liar->given += (uint32_t)*given;
    return true;
}

static void a_stream_that_cannot_be_unpacked_falls_back_to_pages(void)
{
    for (uint64_t seed = 0; seed < 20; seed++) {
        struct bench bench;
        begin(&bench, &(struct rig_setup){.seed = seed});
        struct liar liar = {.honest = bench.rig->config.packer,
                            .lies_at = (uint32_t)(seed * 3001),
                            .ends = seed % 4 == 0};
        liar.packer = *liar.honest;
        liar.packer.context = &liar;
        liar.packer.begin = liar_begin;
        liar.packer.prepare = NULL;
        liar.packer.measure = liar_measure;
        liar.packer.give = liar_give;
        bench.rig->config.packer = &liar.packer;
        rig_new_session(bench.rig, 9);
        enum wry_status status = wry_session_connect(&bench.rig->session);
        if (status == WRY_OK)
            status = wry_session_write(&bench.rig->session, &bench.plan);
        check_context("lies from %u on", liar.lies_at);
        /* Garbage may also unpack to other content: then the digests find it. */
        if (status != WRY_OK)
            CHECK_EQUAL(WRY_DIFFERS, status);
        CHECK_EQUAL(status == WRY_OK, rig_holds(bench.rig, &bench.item, 1));
        CHECK_EQUAL(1, liar.streams);
        finish(&bench);
    }
}

static bool fail_to_read(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    memcpy(to, (const uint8_t *)context + offset, n);
    return offset < 0x18000;
}

static void content_that_cannot_be_read_ends_the_write(void)
{
    struct bench bench;

    begin(&bench, &(struct rig_setup){.seed = 4});
    bench.item.reader.read = fail_to_read;
    CHECK_EQUAL(WRY_OK, wry_session_connect(&bench.rig->session));
    CHECK_EQUAL(WRY_SOURCE_FAILED, wry_session_write(&bench.rig->session, &bench.plan));
    bench.item.reader = rig_reader(content);
    CHECK_EQUAL(WRY_OK, wry_session_write(&bench.rig->session, &bench.plan));
    CHECK(rig_holds(bench.rig, &bench.item, 1));
    finish(&bench);
}

static void a_stream_cut_anywhere_goes_on(void)
{
    for (uint64_t at = 700; at < 70000; at += 1709) {
        struct bench bench;
        begin(&bench, &(struct rig_setup){.seed = at, .faults = {.cable_cut = at}});
        rig_mend_by(bench.rig, rig_put_cable_back);
        check_context("cut at %u", (unsigned)at);
        write_and_check(&bench);
        finish(&bench);
    }
}

static void a_board_that_restarts_gets_the_stream_anew(void)
{
    for (uint64_t at = 1; at < 300; at += 23) {
        struct bench bench;
        begin(&bench, &(struct rig_setup){.seed = at, .faults = {.power_cut = at}});
        rig_mend_by(bench.rig, rig_switch_on_again);
        check_context("power cut at operation %u", (unsigned)at);
        write_and_check(&bench);
        finish(&bench);
    }
}

/* The gaps of an image that was read from a flash: at its end, at its start, within, and many. */
static void blank_gaps_are_sent_in_streams(void)
{
    enum { SPARSE = 0x100000 };
    static const struct {
        uint32_t start, end, step;
    } gaps[] = {{0x40000, SPARSE, SPARSE},
                {0, 0xC0000, SPARSE},
                {0x30000, 0xD0000, SPARSE},
                {0x2800, 0x5000, 0x5000}};
    static const uint32_t speeds[] = {115200, 921600, 2000000};
    static const uint16_t chips[] = {WRY_CHIP_SANDERLING_S1, WRY_CHIP_TURNSTONE_T2};
    static uint8_t sparse[SPARSE];

    for (size_t i = 0; i < 24; i += check_one_in(2)) {
        struct bench bench;
        uint32_t used = SPARSE;
        size_t gap = i % 4;
        begin(&bench, &(struct rig_setup){.seed = i,
                                          .chip_code = chips[i / 4 % 2],
                                          .max_speed = speeds[i / 8],
                                          .flash_size = 0x200000});
        for (size_t at = 0; at < SPARSE; at++)
            sparse[at] = content[at % LENGTH];
        for (uint32_t at = 0; at < SPARSE; at += gaps[gap].step) {
            uint32_t n = gaps[gap].end - gaps[gap].start, from = at + gaps[gap].start;
            n = n < SPARSE - from ? n : SPARSE - from;
            memset(sparse + from, 0xFF, n);
            used -= n;
        }
        bench.item = (struct wry_placement){
            .offset = OFFSET, .length = SPARSE, .reader = rig_reader(sparse)};
        write_and_check(&bench);
        const struct wry_session_stats *stats = wry_session_stats(&bench.rig->session);
        check_context("gap %zu, case %zu: %u bytes of %u", gap, i, (unsigned)stats->content_sent,
                      (unsigned)used);
        CHECK(stats->content_sent < used / 2);
        finish(&bench);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_chip_takes_a_stream_as_far_as_its_memory_reaches),
        FACT(time_that_the_host_takes_is_not_the_board_s),
        FACT(a_board_with_little_memory_gets_pages),
        FACT(what_arrives_during_a_turn_fits_the_room_asked_for),
        FACT(a_host_without_a_packer_sends_pages),
        FACT(a_packer_without_the_memory_it_needs_is_not_used),
        FACT(a_noisy_line_costs_the_frames_it_spoils),
        FACT(every_line_carries_a_stream),
        FACT(a_stream_that_cannot_be_unpacked_falls_back_to_pages),
        FACT(content_that_cannot_be_read_ends_the_write),
        FACT(a_stream_cut_anywhere_goes_on),
        FACT(a_board_that_restarts_gets_the_stream_anew),
        FACT(blank_gaps_are_sent_in_streams),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
