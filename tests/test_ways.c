/* The way that a write chooses beside other ways: over odd pairs of contents, on every chip, at
 * speeds where the line decides, the flash, or both. */
#include "harness.h"

#include <stdlib.h>
#include <string.h>

#include "demo/program_like.h"
#include "pack/content_packer.h"
#include "rig.h"
#include "ways.h"
#include "wrytograph/chip.h"

enum {
    LENGTH = 128 * 1024,
    LOOK_MS = 60, /* for the samples of what the flash holds, which writing everything spares */
    USUAL = 8,    /* percent */
};

static const uint16_t chips[] = {WRY_CHIP_SANDERLING_S1, WRY_CHIP_TURNSTONE_T2, WRY_CHIP_DUNLIN_D3};

static void check(const struct ways_case *one, unsigned percent)
{
    static const enum way others[] = {WAY_NO_GUESS, WAY_EVERY_SECTOR, WAY_LOOK, WAY_PAGES};
    struct ways_result chosen = ways_write(one, WAY_CHOSEN);

    CHECK(chosen.written);
    for (size_t i = 0; i < sizeof others / sizeof others[0]; i++) {
        struct ways_result other = ways_write(one, others[i]);
        CHECK(other.written);
        CHECK(chosen.seconds * 1000 <= other.seconds * (1000 + 10 * percent) + LOOK_MS);
    }
}

static void no_other_way_is_much_quicker(void)
{
    static const uint32_t speeds[] = {115200, 460800, 1500000};
    uint8_t *before = malloc(LENGTH), *after = malloc(LENGTH);
    unsigned step = check_one_in(7);

    for (size_t i = 0; i < odd_pair_count * 9; i += step) {
        size_t pair = i / 9, chip = i / 3 % 3, speed = i % 3;
        odd_pairs[pair].make(before, after, LENGTH);
        check_context("%s, chip %zu, %u baud", odd_pairs[pair].name, chip, (unsigned)speeds[speed]);
        check(&(struct ways_case){.offset = 0x40000,
                                  .before = before,
                                  .before_length = LENGTH,
                                  .after = after,
                                  .length = LENGTH,
                                  .chip = chips[chip],
                                  .baud = speeds[speed],
                                  .latency_ms = 2},
              odd_pairs[pair].percent > 0 ? odd_pairs[pair].percent : USUAL);
    }
    check_context(NULL);
    free(before);
    free(after);
}

static struct ways_case case_of(const uint8_t *before, const uint8_t *after, uint32_t length,
                                uint32_t baud)
{
    return (struct ways_case){.offset = 0x40000,
                              .before = before,
                              .before_length = length,
                              .after = after,
                              .length = length,
                              .chip = WRY_CHIP_TURNSTONE_T2,
                              .baud = baud,
                              .latency_ms = 2};
}

/* Which sectors of each few differ changes hardly anything. */
static void samples_see_what_changes_in_steps(void)
{
    static const unsigned steps[] = {4, 8, 10, 16};
    enum { SECTOR = 4096, LONG = 768 * 1024 };
    uint8_t *before = malloc(LONG), *after = malloc(LONG);

    rig_random(before, LONG, 3);
    for (size_t i = 0; i < sizeof steps / sizeof steps[0]; i++) {
        unsigned phases[] = {0, 1, steps[i] / 2, steps[i] - 1};
        double least = 1e9, most = 0;
        for (size_t j = 0; j < 4; j++) {
            memcpy(after, before, LONG);
            for (size_t at = phases[j]; at < LONG / SECTOR; at += steps[i])
                after[at * SECTOR + 99] ^= 1;
            struct ways_case one = case_of(before, after, LONG, 460800);
            struct ways_result result = ways_write(&one, WAY_NO_GUESS);
            CHECK(result.written);
            least = result.seconds < least ? result.seconds : least;
            most = result.seconds > most ? result.seconds : most;
        }
        check_context("each %uth: %.3f to %.3f s", steps[i], least, most);
        CHECK(most < least * 1.1);
    }
    check_context(NULL);
    free(before);
    free(after);
}

/* Of two samples, one that differs says little. */
static void a_small_change_of_a_small_range_is_looked_for(void)
{
    enum { SECTOR = 4096, SHORT = 12 * SECTOR };
    uint8_t before[SHORT], after[SHORT];
    struct ways_case one = case_of(before, after, SHORT, 115200);

    rig_random(before, SHORT, 5);
    memcpy(after, before, SHORT);
    after[99] ^= 1;
    struct ways_result looked = ways_write(&one, WAY_NO_GUESS);
    struct ways_result every = ways_write(&one, WAY_EVERY_SECTOR);
    CHECK(looked.written && every.written);
    CHECK_EQUAL(SECTOR, looked.bytes);
    CHECK(looked.seconds < every.seconds / 5);
}

/* Blank flash behind it is erased quickly, so a look must pay by what is right alone. */
static void what_a_cut_write_left_is_not_written_again(void)
{
    static const unsigned shares[] = {15, 40, 80}; /* percent */
    static const uint32_t speeds[] = {115200, 921600, 2000000};
    enum { LONG = 768 * 1024 };
    uint8_t *before = malloc(LONG), *after = malloc(LONG);

    fill_like_program(after, LONG, 31, 0);
    for (size_t i = 0; i < 9; i++) {
        unsigned share = shares[i / 3];
        size_t done = LONG / 100 * share;
        memset(before, 0xFF, LONG);
        memcpy(before, after, done);
        struct ways_case one = case_of(before, after, LONG, speeds[i % 3]);
        struct ways_result chosen = ways_write(&one, WAY_NO_GUESS);
        struct ways_result every = ways_write(&one, WAY_EVERY_SECTOR);
        check_context("%u %% at %u baud", share, (unsigned)speeds[i % 3]);
        CHECK(chosen.written && every.written);
        CHECK(chosen.seconds < every.seconds / 100 * (100 - share / 3.0));
    }
    check_context(NULL);
    free(before);
    free(after);
}

/* A packer that counts what it estimates. */
struct counting_packer {
    struct wry_packer packer;
    const struct wry_packer *honest;
    unsigned estimates;
};

static bool measure(void *context, const struct wry_packing *packing, bool exact, uint32_t piece,
                    uint32_t *ends, uint32_t count)
{
    struct counting_packer *counting = context;

    counting->estimates += !exact;
    return counting->honest->measure(counting->honest->context, packing, exact, piece, ends, count);
}

static bool begin(void *context, const struct wry_packing *packing, struct wry_stream_form *form)
{
    const struct wry_packer *honest = ((struct counting_packer *)context)->honest;

    return honest->begin(honest->context, packing, form);
}

static bool give(void *context, uint8_t *to, size_t room, size_t *given)
{
    const struct wry_packer *honest = ((struct counting_packer *)context)->honest;

    return honest->give(honest->context, to, room, given);
}

/* The board would wait for a computer that packs the same content once more. */
static void what_is_left_after_a_look_is_not_measured_again(void)
{
    enum { LONG = 768 * 1024 };
    struct rig *rig =
        rig_new(&(struct rig_setup){.seed = 4, .blank = true, .flash_size = 0x200000});
    uint8_t *after = malloc(LONG);
    struct wry_placement item = {.offset = 0x40000, .length = LONG, .reader = rig_reader(after)};
    struct pack *pack = pack_new();
    struct counting_packer counting = {.packer = *pack_packer(pack), .honest = pack_packer(pack)};
    struct wry_plan plan;
    struct wry_fault fault;

    fill_like_program(after, LONG, 31, 0);
    memcpy(rig->flash + item.offset, after, LONG / 2);
    counting.packer.context = &counting;
    counting.packer.prepare = NULL;
    counting.packer.measure = measure;
    counting.packer.begin = begin;
    counting.packer.give = give;
    rig->config.packer = &counting.packer;
    rig_new_session(rig, 5);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
    CHECK(rig_holds(rig, &item, 1));
    CHECK(wry_session_stats(&rig->session)->sectors_left >= LONG / 2 / 4096 - 16);
    CHECK(counting.estimates <= 2); /* once in each coding of new content */
    pack_free(pack);
    rig_free(rig);
    free(after);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(no_other_way_is_much_quicker),
        FACT(samples_see_what_changes_in_steps),
        FACT(a_small_change_of_a_small_range_is_looked_for),
        FACT(what_a_cut_write_left_is_not_written_again),
        FACT(what_is_left_after_a_look_is_not_measured_again),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
