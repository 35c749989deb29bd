/* Upgrades as the difference to what the board holds: right whatever it really holds. */
#include <stdlib.h>
#include <string.h>

#include "demo/program_like.h"
#include "harness.h"
#include "known.h"
#include "pack/content_packer.h"
#include "rig.h"
#include "upgrade_bench.h"

enum {
    LENGTH = 0x48000,
    OFFSET = 0x43000,
};

static uint8_t content[LENGTH];

static const uint16_t chips[] = {WRY_CHIP_SANDERLING_S1, WRY_CHIP_TURNSTONE_T2, WRY_CHIP_DUNLIN_D3};

/* A board with the version before, whose content is known wherever guesses reach. */
static void begin(struct upgrade_bench *bench, const struct rig_setup *setup)
{
    fill_like_program(content, LENGTH, setup->seed % 3, 1);
    upgrade_bench_begin(bench, setup, OFFSET, LENGTH, content);
}

static const struct wry_session_stats *write_and_check(struct upgrade_bench *bench)
{
    struct wry_session *session = &bench->rig->session;

    CHECK_EQUAL(WRY_OK, wry_session_connect(session));
    CHECK_EQUAL(WRY_OK, wry_session_write(session, &bench->plan));
    CHECK(rig_holds(bench->rig, &bench->item, 1));
    return wry_session_stats(session);
}

static bool add_time(void *context, const struct wry_cost_part *part, const struct wry_cost *cost)
{
    uint64_t *time = context;

    CHECK(wry_coding_needs_old(part->coding));
    *time += cost->total;
    return true;
}

/* Within a tenth, and the latency that is assumed before one is measured. */
static void the_time_of_an_upgrade_is_known_before(void)
{
    static const uint32_t speeds[] = {57600, 115200, 230400};

    for (size_t i = 0; i < 9; i++) {
        uint64_t expected = 0;
        struct wry_estimate_sink sink = {.context = &expected, .part = add_time};
        struct upgrade_bench bench;
        begin(&bench, &(struct rig_setup){
                          .seed = i, .chip_code = chips[i % 3], .max_speed = speeds[i / 3]});
        struct wry_session *session = &bench.rig->session;
        CHECK_EQUAL(WRY_OK, wry_session_connect(session));
        CHECK_EQUAL(WRY_OK, wry_session_estimate(session, &bench.plan, &sink));
        uint64_t begun = bench.rig->adapter.now;
        CHECK_EQUAL(WRY_OK, wry_session_write(session, &bench.plan));
        uint64_t took = (bench.rig->adapter.now - begun) / 1000;
        check_context("case %zu: %u ms, expected %u ms", i, (unsigned)(took / 1000),
                      (unsigned)(expected / 1000));
        CHECK(took < expected + expected / 10 && expected < took + took / 10 + 160000);
        upgrade_bench_end(&bench);
    }
}

static bool keep_bytes(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    memcpy((uint8_t *)context + offset, bytes, n);
    return true;
}

static void back_up_and_check(struct upgrade_bench *bench)
{
    const struct rig *rig = bench->rig;
    uint8_t *got = calloc(1, rig->flash_size), digest[WRY_SHA256_SIZE];
    struct wry_writer writer = {.context = got, .write = keep_bytes};

    CHECK_EQUAL(WRY_OK,
                wry_session_back_up(&bench->rig->session, 0, OFFSET + LENGTH, &writer, digest));
    CHECK(memcmp(got, rig->flash, OFFSET + LENGTH) == 0);
    free(got);
}

static void every_chip_takes_the_difference(void)
{
    static const uint32_t blocks[] = {0x8000, 0x10000, 0x10000};

    for (size_t i = 0; i < 3; i++) {
        for (size_t guesses = 0; guesses < 2; guesses++) {
            struct upgrade_bench bench;
            begin(&bench,
                  &(struct rig_setup){.seed = i, .chip_code = chips[i], .flash_size = 0x200000});
            bench.known.guesses = guesses;
            const struct wry_session_stats *stats = write_and_check(&bench);
            check_context("chip %zu: %u bytes", i, (unsigned)stats->content_sent);
            CHECK_EQUAL(blocks[i], wry_session_board(&bench.rig->session)->old_block);
            CHECK_EQUAL(0, stats->guesses_wrong);
            /* Samples alone are known where nothing is guessed: then most goes as it is. */
            CHECK(stats->content_sent < (guesses ? LENGTH * 10 / 100 : LENGTH * 60 / 100));
            upgrade_bench_end(&bench);
        }
    }
}

static void a_board_that_keeps_nothing_gets_a_deflate_stream(void)
{
    struct upgrade_bench bench;

    begin(&bench, &(struct rig_setup){.seed = 1});
    bench.rig->board.memory_size = 17 * 1024;
    const struct wry_session_stats *stats = write_and_check(&bench);
    CHECK_EQUAL(0, wry_session_board(&bench.rig->session)->old_block);
    CHECK(wry_session_board(&bench.rig->session)->features & WRY_FEATURE_STREAMS);
    CHECK(stats->content_sent > LENGTH * 20 / 100);
    CHECK(stats->content_sent < LENGTH * 60 / 100);
    upgrade_bench_end(&bench);
}

/* What an older board would not say of itself is taken out of what it said. */
static void boards_without_a_feature_are_upgraded_and_backed_up_without_it(void)
{
    static const uint16_t features[] = {
        WRY_FEATURE_STREAMS, WRY_FEATURE_WHOLE,    WRY_FEATURE_SPREAD,
        WRY_FEATURE_ODD,     WRY_FEATURE_TOGETHER, WRY_FEATURE_PACKED,
        WRY_FEATURE_AFTER,   WRY_FEATURE_SOON,     0xFFFF};

    for (size_t i = 0; i < 2 * sizeof features / sizeof features[0]; i++) {
        struct upgrade_bench bench;
        begin(&bench, &(struct rig_setup){.seed = i});
        bench.known.guesses = i % 2 == 0;
        struct wry_session *session = &bench.rig->session;
        CHECK_EQUAL(WRY_OK, wry_session_connect(session));
        session->board.features &= (uint16_t)~features[i / 2];
        if (features[i / 2] == 0xFFFF)
            session->board.old_block = session->board.old_history = session->board.dictionary = 0;
        check_context("without 0x%X", features[i / 2]);
        back_up_and_check(&bench);
        CHECK_EQUAL(WRY_OK, wry_session_write(session, &bench.plan));
        CHECK(rig_holds(bench.rig, &bench.item, 1));
        back_up_and_check(&bench);
        upgrade_bench_end(&bench);
    }
}

/* One byte somewhere is not what it was taken for. */
static void what_was_wrongly_known_is_written_without_it(void)
{
    for (uint32_t at = 0x1234; at < LENGTH; at += check_one_in(3) * 0x5A5A) {
        struct upgrade_bench bench;
        begin(&bench, &(struct rig_setup){.seed = at, .chip_code = chips[at % 3]});
        bench.rig->flash[OFFSET + at] ^= 0x10;
        const struct wry_session_stats *stats = write_and_check(&bench);
        check_context("wrong at %u", (unsigned)at);
        CHECK(stats->guesses_wrong <= 1);
        /* Said, unless the stream made no use of it. */
        CHECK(stats->guesses_wrong == 1 || stats->content_sent < LENGTH * 12 / 100);
        upgrade_bench_end(&bench);
    }
}

/* Where the flash is what takes the time, and it would have to be erased in small units. */
static void a_quick_line_takes_a_board_with_little_memory_no_difference(void)
{
    for (size_t i = 0; i < 2; i++) {
        struct upgrade_bench bench;
        begin(&bench, &(struct rig_setup){
                          .seed = i, .chip_code = chips[0], .max_speed = i ? 115200 : 921600});
        CHECK_EQUAL(i, write_and_check(&bench)->differences);
        upgrade_bench_end(&bench);
    }
}

static void noise_and_latency_change_nothing(void)
{
    static const uint32_t speeds[] = {9600, 115200, 460800, 2000000};

    for (uint64_t seed = 0; seed < 16; seed++) {
        struct upgrade_bench bench;
        begin(&bench, &(struct rig_setup){.seed = seed,
                                          .max_speed = speeds[seed % 4],
                                          .faults = {.noise_ppb = (uint32_t)(seed % 3) * 20000}});
        bench.rig->adapter.inbox.latency = seed / 4 * 30 * UINT64_C(1000000);
        check_context("seed %u", (unsigned)seed);
        CHECK_EQUAL(0, write_and_check(&bench)->guesses_wrong);
        upgrade_bench_end(&bench);
    }
}

static void a_cut_leaves_old_content_half_erased_and_is_made_good(void)
{
    for (uint64_t at = 1; at < 1100; at += check_one_in(3) * 41) {
        struct upgrade_bench bench;
        begin(&bench, &(struct rig_setup){
                          .seed = at, .chip_code = chips[at % 3], .faults = {.power_cut = at}});
        rig_mend_by(bench.rig, rig_switch_on_again);
        const struct wry_session_stats *stats = write_and_check(&bench);
        check_context("power cut at operation %u: %u sent, %u reconnects", (unsigned)at,
                      (unsigned)stats->content_sent, stats->reconnects);
        /* What is left is still told by what is still there. */
        CHECK(stats->reconnects > 0);
        CHECK_EQUAL(0, stats->guesses_wrong);
        CHECK(stats->content_sent < LENGTH * 45 / 100);
        upgrade_bench_end(&bench);
    }
}

/* Another process takes up what one was stopped at; it knows the old content, and what was new. */
static void a_later_session_goes_on_with_what_is_still_known(void)
{
    for (unsigned stop = 2; stop < 24; stop += 2) {
        struct upgrade_bench bench;
        begin(&bench, &(struct rig_setup){.seed = stop, .chip_code = chips[stop % 3]});
        CHECK_EQUAL(WRY_OK, wry_session_connect(&bench.rig->session));
        bench.rig->stop_after = bench.rig->reports + stop;
        CHECK_EQUAL(WRY_STOPPED, wry_session_write(&bench.rig->session, &bench.plan));
        bench.rig->stop_after = 0;
        known_free(&bench.known);
        known_init(&bench.known, bench.rig->flash_size);
        known_add(&bench.known, 0, bench.rig->before, bench.rig->flash_size);
        rig_new_session(bench.rig, 100 + stop);
        check_context("stopped at report %u", stop);
        write_and_check(&bench);
        upgrade_bench_end(&bench);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(the_time_of_an_upgrade_is_known_before),
        FACT(every_chip_takes_the_difference),
        FACT(a_board_that_keeps_nothing_gets_a_deflate_stream),
        FACT(boards_without_a_feature_are_upgraded_and_backed_up_without_it),
        FACT(what_was_wrongly_known_is_written_without_it),
        FACT(a_quick_line_takes_a_board_with_little_memory_no_difference),
        FACT(noise_and_latency_change_nothing),
        FACT(a_cut_leaves_old_content_half_erased_and_is_made_good),
        FACT(a_later_session_goes_on_with_what_is_still_known),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
