/* Streams as the loader takes them: of the wrong kind, hostile, and larger than their range. */
#include <string.h>

#include "harness.h"
#include "talk.h"

static void say_stream_job(struct talk *talk, uint32_t window)
{
    struct wry_erase_message erase = {.range = {.offset = 0x20000, .length = 0x4000},
                                      .coding = WRY_CODING_DEFLATE,
                                      .window = window};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    size_t n = wry_message_put_erase(head, WRY_FLAG_PROGRAM | WRY_FLAG_STREAM, ++talk->seq, &erase);
    talk_say(talk, head, n, NULL, 0);
}

static void say_stream(struct talk *talk, uint32_t offset, const uint8_t *bytes, uint32_t length)
{
    struct wry_data_message data = {
        .offset = offset, .length = length, .encoding = WRY_ENCODING_STREAM};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];

    talk_say(talk, head, wry_message_put_data(head, WRY_KIND_DATA, ++talk->seq, &data), bytes,
             length);
}

/* Asks until the job is over, for 5 s at most. */
static struct wry_progress_message await_job(struct talk *talk)
{
    const struct wry_port *port = &talk->rig->adapter.port;
    struct wry_progress_message progress = talk_ask_status(talk);

    for (int i = 0; i < 100 && progress.job == WRY_JOB_RUNNING; i++) {
        port->sleep(port->context, port->now(port->context) + 50 * MS);
        progress = talk_ask_status(talk);
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
    struct talk talk;
    uint8_t page[256] = {0};

    talk_begin(&talk, &(struct rig_setup){
                          .seed = 1, .chip_code = WRY_CHIP_SANDERLING_S1, .flash_size = 0x100000});
    talk_hello(&talk, 1);
    say_stream_job(&talk, 0x8000); /* more than its dictionary */
    talk_expect_error(&talk, WRY_ERROR_UNSUPPORTED);
    say_stream_job(&talk, 128);
    talk_expect_error(&talk, WRY_ERROR_UNSUPPORTED);
    say_stream_job(&talk, 4096);
    CHECK(talk_hear_kind(&talk, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    talk_data(&talk, 0x20000, page, 256); /* a page is no part of a stream */
    talk_expect_error(&talk, WRY_ERROR_BAD_RANGE);
    say_stream(&talk, 100, page, 256);
    talk_expect_error(&talk, WRY_ERROR_BAD_RANGE);
    talk_finish(&talk);
}

static void a_stream_of_noise_fails_and_changes_nothing_outside(void)
{
    for (uint64_t seed = 1; seed < 40; seed++) {
        struct talk talk;
        uint8_t bytes[2048];
        talk_begin(&talk, &(struct rig_setup){.seed = seed});
        talk_hello(&talk, 1);
        say_stream_job(&talk, 0x8000);
        rig_random(bytes, sizeof bytes, seed);
        bytes[0] = (uint8_t)((bytes[0] & ~7u) | (seed % 2 ? 3u : 5u)); /* fixed or dynamic codes */
        say_stream(&talk, 0, bytes, sizeof bytes);
        struct wry_progress_message progress = await_job(&talk);
        check_context("seed %u: job %u, error %u", (unsigned)seed, progress.job, progress.error);
        CHECK(progress.job == WRY_JOB_RUNNING || progress.error == WRY_ERROR_BAD_STREAM);
        CHECK(progress.programmed <= 0x24000);
        CHECK(outside_is_untouched(talk.rig));
        talk_finish(&talk);
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
    struct talk talk;
    struct bits bits = {.n = 0};

    put_code(&bits, 1, 1); /* the last block */
    put_code(&bits, 2, 2); /* fixed codes */
    put_code(&bits, 0x30, 8);
    while (bits.n + 13 <= sizeof bits.bytes * 8) {
        put_code(&bits, 0xC5, 8); /* 258 bytes */
        put_code(&bits, 0, 5);    /* from one before */
    }
    talk_begin(&talk, &(struct rig_setup){.seed = 3});
    talk_hello(&talk, 1);
    say_stream_job(&talk, 0x8000);
    say_stream(&talk, 0, bits.bytes, sizeof bits.bytes);
    struct wry_progress_message progress = await_job(&talk);
    CHECK_EQUAL(WRY_JOB_DONE, progress.job);
    CHECK_EQUAL(0x24000, progress.programmed);
    for (uint32_t i = 0x20000; i < 0x24000; i++)
        CHECK(talk.rig->flash[i] == 0);
    CHECK(outside_is_untouched(talk.rig));
    talk_finish(&talk);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_stream_of_another_kind_is_refused),
        FACT(a_stream_of_noise_fails_and_changes_nothing_outside),
        FACT(no_more_than_the_range_comes_out_of_a_stream),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
