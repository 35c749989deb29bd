/* Streams as the loader takes them: of the wrong kind, hostile, and larger than their range. */
#include <string.h>

#include "frames.h"
#include "harness.h"
#include "wrytograph/branch_filter.h"
#include "wrytograph/difference.h"

static void say_job(struct frames *wire, uint8_t coding, uint32_t window)
{
    struct wry_erase_message erase = {
        .range = {.offset = 0x20000, .length = 0x4000}, .coding = coding, .window = window};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    size_t n = wry_message_put_erase(head, WRY_FLAG_PROGRAM | WRY_FLAG_STREAM, ++wire->seq, &erase);
    frames_say(wire, head, n, NULL, 0);
}

static void say_stream_job(struct frames *wire, uint32_t window)
{
    say_job(wire, WRY_CODING_DEFLATE, window);
}

static void say_stream(struct frames *wire, uint32_t offset, const uint8_t *bytes, uint32_t length)
{
    struct wry_data_message data = {
        .offset = offset, .length = length, .encoding = WRY_ENCODING_STREAM};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    frames_say(wire, head, wry_message_put_data(head, WRY_KIND_DATA, ++wire->seq, &data), bytes,
               length);
}

/* Asks until the job is over, for 5 s at most. */
static struct wry_progress_message await_job(struct frames *wire)
{
    const struct wry_port *port = &wire->rig->adapter.port;
    struct wry_progress_message progress = frames_ask_status(wire);

    for (int i = 0; i < 100 && progress.job == WRY_JOB_RUNNING; i++) {
        port->sleep(port->context, port->now(port->context) + 50 * MS);
        progress = frames_ask_status(wire);
    }
    return progress;
}

static bool outside_is_untouched(const struct rig *rig)
{
    return memcmp(rig->before, rig->flash, 0x20000) == 0 &&
           memcmp(rig->before + 0x24000, rig->flash + 0x24000, rig->flash_size - 0x24000) == 0;
}

static void a_stream_of_another_kind_is_refused(void)
{
    struct frames wire;
    uint8_t page[256] = {0};

    frames_begin(&wire, &(struct rig_setup){.seed = 1,
                                            .chip_code = WRY_CHIP_SANDERLING_S1,
                                            .flash_size = 0x100000});
    frames_hello(&wire, 1);
    say_stream_job(&wire, 0x8000); /* more than its dictionary */
    frames_expect_error(&wire, WRY_ERROR_UNSUPPORTED);
    say_stream_job(&wire, 128);
    frames_expect_error(&wire, WRY_ERROR_UNSUPPORTED);
    say_stream_job(&wire, 4096);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    frames_data(&wire, 0x20000, page, 256); /* a page is no part of a stream */
    frames_expect_error(&wire, WRY_ERROR_BAD_RANGE);
    say_stream(&wire, 100, page, 256);
    frames_expect_error(&wire, WRY_ERROR_BAD_RANGE);
    frames_finish(&wire);
}

static void a_stream_of_noise_fails_and_changes_nothing_outside(void)
{
    for (uint64_t seed = 1; seed < 40; seed++) {
        struct frames wire;
        uint8_t bytes[2048];
        frames_begin(&wire, &(struct rig_setup){.seed = seed});
        frames_hello(&wire, 1);
        say_stream_job(&wire, 0x8000);
        rig_random(bytes, sizeof bytes, seed);
        bytes[0] = (uint8_t)((bytes[0] & ~7u) | (seed % 2 ? 3u : 5u)); /* fixed or dynamic codes */
        say_stream(&wire, 0, bytes, sizeof bytes);
        struct wry_progress_message progress = await_job(&wire);
        check_context("seed %u: job %u, error %u", (unsigned)seed, progress.job, progress.error);
        CHECK(progress.job == WRY_JOB_RUNNING || progress.error == WRY_ERROR_BAD_STREAM);
        CHECK(progress.programmed <= 0x24000);
        CHECK(outside_is_untouched(wire.rig));
        frames_finish(&wire);
    }
}

struct bits {
    uint8_t bytes[2048];
    size_t n;
};

/* Huffman codes go first bit first (RFC 1951, section 3.1.1). */
static void put_code(struct bits *bits, unsigned code, unsigned length)
{
    for (; length > 0; length--, bits->n++)
        bits->bytes[bits->n / 8] |= (uint8_t)((code >> (length - 1) & 1) << bits->n % 8);
}

/* A zero, and then as many copies of it as fit: 250 KiB in 2 KiB. */
static void no_more_than_the_range_comes_out_of_a_stream(void)
{
    struct frames wire;
    struct bits bits = {.n = 0};

    put_code(&bits, 1, 1); /* the last block */
    put_code(&bits, 2, 2); /* fixed codes */
    put_code(&bits, 0x30, 8);
    while (bits.n + 13 <= sizeof bits.bytes * 8) {
        put_code(&bits, 0xC5, 8); /* 258 bytes */
        put_code(&bits, 0, 5);    /* from one before */
    }
    frames_begin(&wire, &(struct rig_setup){.seed = 3});
    frames_hello(&wire, 1);
    say_stream_job(&wire, 0x8000);
    say_stream(&wire, 0, bits.bytes, sizeof bits.bytes);
    struct wry_progress_message progress = await_job(&wire);
    CHECK_EQUAL(WRY_JOB_DONE, progress.job);
    CHECK_EQUAL(0x24000, progress.programmed);
    for (uint32_t i = 0x20000; i < 0x24000; i++)
        CHECK(wire.rig->flash[i] == 0);
    CHECK(outside_is_untouched(wire.rig));
    frames_finish(&wire);
}

/* With the fixed codes (section 3.2.6). */
static void put_byte(struct bits *bits, uint8_t byte)
{
    if (byte < 144)
        put_code(bits, 0x30u + byte, 8);
    else
        put_code(bits, 0x190u + byte - 144u, 9);
}

static void put_zeros(struct bits *bits, uint32_t n)
{
    put_byte(bits, 0);
    for (n--; n >= 258; n -= 258) {
        put_code(bits, 0xC5, 8);
        put_code(bits, 0, 5);
    }
    for (; n > 0; n--)
        put_byte(bits, 0);
}

/* What stood so far away, with nothing added. */
static void put_copy(struct bits *bits, uint32_t length, uint32_t distance_change)
{
    uint8_t head[WRY_DIFFERENCE_HEAD_MAX];
    size_t n = wry_difference_put_head(head, true, length, (int32_t)distance_change);

    for (size_t i = 0; i < n; i++)
        put_byte(bits, head[i]);
    put_zeros(bits, length);
}

/* Three sectors as they were, and in the fourth what stands at source. */
static void put_together_from(struct frames *wire, uint32_t source)
{
    struct bits bits = {.n = 0};

    put_code(&bits, 1, 1);
    put_code(&bits, 2, 2);
    put_copy(&bits, 0x3000, 0);
    put_copy(&bits, 0x1000, source - 0x23000);
    put_code(&bits, 0, 7); /* the end */
    say_job(wire, WRY_CODING_DIFFERENCE, 4096);
    CHECK(frames_hear_kind(wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    say_stream(wire, 0, bits.bytes, sizeof bits.bytes);
}

/* Lets the board boot again with so much memory for the loader. */
static void give_memory(struct frames *wire, uint32_t bytes)
{
    const struct wry_port *port = &wire->rig->adapter.port;

    wire->rig->board.memory_size = bytes;
    port->set_lines(port->context, true, true);
    port->set_lines(port->context, false, true);
    port->sleep(port->context, port->now(port->context) + 100 * MS);
    port->discard(port->context);
}

/* A board that keeps a sector and one before it, and one that keeps 64 KiB. */
static void old_content_is_had_as_far_as_it_is_kept_and_never_beyond(void)
{
    static const struct {
        uint32_t source;
        bool small, large; /* which of the boards has it still */
    } cases[] = {{0x23000, true, true},   {0x22000, true, true},    {0x22801, true, true},
                 {0x21FFF, false, true},  {0x21000, false, true},   {0x20000, false, true},
                 {0x1F801, false, true},  {0x1F000, true, true},    {0x24000, true, true},
                 {0x23801, true, true},   {0x00000, true, true},    {0xFF000, true, true},
                 {0xFF001, false, false}, {0x100000, false, false}, {0xFFFFF000, false, false}};
    static const uint16_t chips[] = {WRY_CHIP_SANDERLING_S1, WRY_CHIP_TURNSTONE_T2};

    for (size_t i = 0; i < 2 * sizeof cases / sizeof cases[0]; i++) {
        struct frames wire;
        uint32_t source = cases[i / 2].source;
        bool has = i % 2 == 0 ? cases[i / 2].small : cases[i / 2].large;
        frames_begin(&wire, &(struct rig_setup){
                                .seed = i, .chip_code = chips[i % 2], .flash_size = 0x100000});
        if (i % 2 == 0)
            give_memory(&wire, 24 * 1024);
        frames_hello(&wire, 1);
        put_together_from(&wire, source);
        struct wry_progress_message progress = await_job(&wire);
        check_context("from 0x%X on board %zu: job %u", (unsigned)source, i % 2, progress.job);
        CHECK_EQUAL(has ? WRY_JOB_DONE : WRY_JOB_FAILED, progress.job);
        CHECK_EQUAL(has ? WRY_ERROR_NONE : WRY_ERROR_BAD_STREAM, progress.error);
        const uint8_t *flash = wire.rig->flash, *before = wire.rig->before;
        if (has)
            CHECK(memcmp(flash + 0x20000, before + 0x20000, 0x3000) == 0 &&
                  memcmp(flash + 0x23000, before + source, 0x1000) == 0);
        CHECK(outside_is_untouched(wire.rig));
        frames_finish(&wire);
    }
}

/* Any bytes as records. */
static void records_of_noise_fail_and_change_nothing_outside(void)
{
    for (uint64_t seed = 1; seed < 60; seed++) {
        struct frames wire;
        struct bits bits = {.n = 0};
        uint8_t noise[1500];
        frames_begin(&wire, &(struct rig_setup){.seed = seed});
        frames_hello(&wire, 1);
        rig_random(noise, sizeof noise, seed);
        put_code(&bits, 1, 1);
        put_code(&bits, 2, 2);
        for (size_t i = 0; i < sizeof noise; i++)
            put_byte(&bits, i % 7 < seed % 7 ? (uint8_t)(noise[i] % 16) : noise[i]);
        put_code(&bits, 0, 7);
        say_job(&wire, WRY_CODING_DIFFERENCE, 4096);
        say_stream(&wire, 0, bits.bytes, sizeof bits.bytes);
        struct wry_progress_message progress = await_job(&wire);
        check_context("seed %u: job %u, error %u", (unsigned)seed, progress.job, progress.error);
        CHECK_EQUAL(WRY_JOB_FAILED, progress.job); /* it is too short for the range in any case */
        CHECK_EQUAL(WRY_ERROR_BAD_STREAM, progress.error);
        CHECK(outside_is_untouched(wire.rig));
        frames_finish(&wire);
    }
}

static void a_board_that_keeps_nothing_takes_no_difference(void)
{
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    give_memory(&wire, 16 * 1024);
    frames_hello(&wire, 1);
    say_job(&wire, WRY_CODING_DIFFERENCE, 4096);
    frames_expect_error(&wire, WRY_ERROR_UNSUPPORTED);
    frames_finish(&wire);
}

/* Calls, each further back than the one before, and the same filtered, in stored blocks (RFC 1951,
 * section 3.2.4). Returns the length of those, in whole pages. */
static uint32_t calls_in_blocks(uint8_t *calls, uint32_t n, uint8_t *blocks)
{
    struct wry_branch_filter filter = {.kind = WRY_FILTER_THUMB, .at = 0x20000};
    uint8_t filtered[0x4000];
    uint32_t length = 0;

    for (uint32_t i = 0; i < n; i += 4)
        memcpy(calls + i, (uint8_t[]){(uint8_t)(i >> 10), 0xF0, (uint8_t)(i >> 2), 0xF8}, 4);
    memcpy(filtered, calls, n);
    CHECK(wry_branch_filter_run(&filter, filtered, n) + WRY_FILTER_AHEAD > n);
    for (uint32_t i = 0; i < n; i += 1024) {
        const uint8_t head[] = {i + 1024 == n, 0, 4, 0xFF, 0xFB};
        memcpy(blocks + length, head, sizeof head);
        memcpy(blocks + length + sizeof head, filtered + i, 1024);
        length += (uint32_t)sizeof head + 1024;
    }
    return (length + 255) / 256 * 256;
}

/* The flash is still at an operation of the job before, at the offset where this one begins. */
static void a_filtered_job_begins_before_the_flash_has_ended_the_one_before(void)
{
    static uint8_t calls[0x4000], blocks[0x4200];
    struct wry_erase_message erase = {.range = {.offset = 0x20000, .length = sizeof calls},
                                      .coding = WRY_CODING_DEFLATE,
                                      .window = 4096,
                                      .filter = WRY_FILTER_THUMB};
    uint32_t length = calls_in_blocks(calls, sizeof calls, blocks);
    unsigned busy = 0;

    for (unsigned i = 0; i < 24; i++) {
        struct frames wire;
        uint8_t head[WRY_MESSAGE_HEAD_MAX];
        frames_begin(&wire, &(struct rig_setup){.seed = i + 1, .chip_code = WRY_CHIP_TURNSTONE_T2});
        frames_hello(&wire, 1);
        frames_range(&wire, WRY_KIND_ERASE, i % 2 ? WRY_FLAG_PROGRAM : 0, 0x20000, 0x10000);
        if (i % 2)
            frames_data(&wire, 0x20000, blocks, 256 * (1 + i / 4));
        const struct wry_port *port = &wire.rig->adapter.port;
        port->sleep(port->context, port->now(port->context) + i / 2 * 12 * MS);
        frames_hello(&wire, 2);
        busy += wire.rig->board.die.busy_until > wire.rig->adapter.now;
        size_t n =
            wry_message_put_erase(head, WRY_FLAG_PROGRAM | WRY_FLAG_STREAM, ++wire.seq, &erase);
        frames_say(&wire, head, n, NULL, 0);
        for (uint32_t at = 0; at < length; at += 512)
            say_stream(&wire, at, blocks + at, length - at < 512 ? length - at : 512);
        struct wry_progress_message progress = await_job(&wire);
        check_context("case %u: job %u, error %u", i, progress.job, progress.error);
        CHECK_EQUAL(WRY_JOB_DONE, progress.job);
        CHECK(memcmp(wire.rig->flash + 0x20000, calls, sizeof calls) == 0);
        frames_finish(&wire);
    }
    CHECK(busy > 8);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_stream_of_another_kind_is_refused),
        FACT(a_stream_of_noise_fails_and_changes_nothing_outside),
        FACT(no_more_than_the_range_comes_out_of_a_stream),
        FACT(old_content_is_had_as_far_as_it_is_kept_and_never_beyond),
        FACT(records_of_noise_fail_and_change_nothing_outside),
        FACT(a_board_that_keeps_nothing_takes_no_difference),
        FACT(a_filtered_job_begins_before_the_flash_has_ended_the_one_before),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
