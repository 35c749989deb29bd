/*
 * The loader, spoken to directly: a board in loading mode, frames in and out by hand.
 */
#include <string.h>

#include "core/bytes/fields.h"
#include "frames.h"
#include "harness.h"
#include "rig.h"
#include "sim/random.h"
#include "wrytograph/frame.h"

static void hello_tells_what_the_board_is(void)
{
    struct frames wire;
    struct wry_hello_reply reply = {0};

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    frames_hello(&wire, 99);
    CHECK(wry_message_get_hello_reply(&wire.last, &reply));
    CHECK_EQUAL(99, reply.token);
    CHECK_EQUAL(0x7402, reply.chip_code);
    CHECK_EQUAL(0x400000, reply.capacity);
    CHECK(!reply.continued);
    frames_hello(&wire, 99);
    CHECK(wry_message_get_hello_reply(&wire.last, &reply));
    CHECK(reply.continued);
    frames_finish(&wire);
}

static void bad_ranges_are_refused_before_anything_is_done(void)
{
    static const uint32_t ranges[][2] = {{0x400000, 0x1000}, {0x3FF000, 0x2000},   {0x1001, 0x1000},
                                         {0x1000, 0x800},    {0xFFFFF000, 0x1000}, {0x1000, 0}};
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    frames_hello(&wire, 1);
    for (size_t i = 0; i < sizeof ranges / sizeof ranges[0]; i++) {
        check_context("range %zu", i);
        frames_range(&wire, WRY_KIND_ERASE, 0, ranges[i][0], ranges[i][1]);
        frames_expect_error(&wire, i < 4 ? WRY_ERROR_BAD_RANGE : WRY_ERROR_MALFORMED);
    }
    CHECK_EQUAL(0, wire.rig->board.die.operations);
    frames_finish(&wire);
}

static void an_erase_leaves_its_neighbours_and_skips_what_is_blank(void)
{
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    memset(wire.rig->flash + 0x12000, 0xFF, 0x3000);
    memcpy(wire.rig->before, wire.rig->flash, wire.rig->flash_size);
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_ERASE, 0, 0x11000, 0x6000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    while (frames_ask_status(&wire).job == WRY_JOB_RUNNING)
        ;
    CHECK_EQUAL(3, wire.rig->board.die.operations);
    CHECK(wry_bytes_blank(wire.rig->flash + 0x11000, 0x6000));
    CHECK(memcmp(wire.rig->before, wire.rig->flash, 0x11000) == 0);
    CHECK(memcmp(wire.rig->before + 0x17000, wire.rig->flash + 0x17000, 0x10000) == 0);
    frames_finish(&wire);
}

static void forced_erase_takes_blank_sectors_too_and_the_largest_units(void)
{
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 1, .blank = true});
    frames_hello(&wire, 1);
    /* 1 sector, 32 KiB, 64 KiB, 1 sector */
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_FORCE, 0x17000, 0x1A000);
    while (frames_ask_status(&wire).job == WRY_JOB_RUNNING)
        ;
    CHECK_EQUAL(4, wire.rig->board.die.operations);
    CHECK_EQUAL(0x1A000, wire.rig->board.die.erased_bytes);
    frames_finish(&wire);
}

static void pages_may_come_in_any_order_and_twice(void)
{
    struct frames wire;
    uint8_t content[0x1000];

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    rig_random(content, sizeof content, 4);
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x20000, sizeof content);
    for (uint32_t i = 0; i < 16; i++) {
        uint32_t page = (i * 7 + 3) % 16;
        frames_data(&wire, 0x20000 + page * 256, content + page * 256, 256);
        frames_data(&wire, 0x20000 + page * 256, content + page * 256, 256);
    }
    while (frames_ask_status(&wire).job == WRY_JOB_RUNNING)
        ;
    CHECK_EQUAL(WRY_JOB_DONE, frames_ask_status(&wire).job);
    CHECK(memcmp(wire.rig->flash + 0x20000, content, sizeof content) == 0);
    frames_finish(&wire);
}

static void data_outside_the_job_or_the_window_is_not_kept(void)
{
    struct frames wire;
    uint8_t page[256] = {0};

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    frames_hello(&wire, 1);
    frames_data(&wire, 0x20000, page, 256);
    CHECK_EQUAL(WRY_JOB_NONE, frames_ask_status(&wire).job);
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x20000, 0x100000);
    frames_data(&wire, 0x1FF00, page, 256);
    frames_expect_error(&wire, WRY_ERROR_BAD_RANGE);
    frames_data(&wire, 0x20010, page, 256);
    frames_expect_error(&wire, WRY_ERROR_BAD_RANGE);
    uint32_t window = wire.rig->board.loader.layout.window_pages * 256u;
    frames_data(&wire, 0x20000 + window, page, 256);
    struct wry_progress_message progress = frames_ask_status(&wire);
    CHECK_EQUAL(0x20000, progress.received);
    CHECK_EQUAL(0x20000 + window, progress.limit);
    CHECK_EQUAL(0, progress.bitmap_length);
    frames_finish(&wire);
}

static void a_second_erase_waits_its_turn_and_a_repeated_one_is_the_same(void)
{
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_ERASE, 0, 0x20000, 0x10000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    wire.seq--;
    frames_range(&wire, WRY_KIND_ERASE, 0, 0x20000, 0x10000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    frames_range(&wire, WRY_KIND_ERASE, 0, 0x40000, 0x10000);
    frames_expect_error(&wire, WRY_ERROR_BUSY);
    while (frames_ask_status(&wire).job == WRY_JOB_RUNNING)
        ;
    CHECK_EQUAL(1, wire.rig->board.die.operations);
    CHECK(memcmp(wire.rig->before + 0x40000, wire.rig->flash + 0x40000, 0x10000) == 0);
    frames_finish(&wire);
}

static void a_digest_asked_for_early_follows_the_write(void)
{
    struct frames wire;
    struct wry_digest_reply reply = {0};
    struct wry_sha256 sha;
    uint8_t content[0x1000], digest[WRY_SHA256_SIZE];

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    rig_random(content, sizeof content, 4);
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x20000, sizeof content);
    frames_range(&wire, WRY_KIND_DIGEST, 0, 0x20000, sizeof content);
    for (uint32_t i = 0; i < 16; i++)
        frames_data(&wire, 0x20000 + i * 256, content + (size_t)i * 256, 256);
    CHECK(frames_hear_kind(&wire, WRY_KIND_DIGEST | WRY_KIND_REPLY, 500 * MS));
    CHECK(wry_message_get_digest_reply(&wire.last, &reply));
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, content, sizeof content);
    wry_sha256_end(&sha, digest);
    CHECK_EQUAL(sizeof digest, reply.digest_length);
    CHECK(memcmp(digest, reply.digest, sizeof digest) == 0);
    frames_finish(&wire);
}

static void a_digest_is_taken_anew_when_the_flash_changed(void)
{
    struct frames wire;
    uint8_t first[WRY_SHA256_SIZE];
    struct wry_digest_reply reply = {0};

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_DIGEST, 0, 0x20000, 0x2000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_DIGEST | WRY_KIND_REPLY, 500 * MS));
    CHECK(wry_message_get_digest_reply(&wire.last, &reply));
    memcpy(first, reply.digest, sizeof first);
    frames_range(&wire, WRY_KIND_ERASE, 0, 0x21000, 0x1000);
    frames_range(&wire, WRY_KIND_DIGEST, 0, 0x20000, 0x2000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_DIGEST | WRY_KIND_REPLY, 500 * MS));
    CHECK(wry_message_get_digest_reply(&wire.last, &reply));
    CHECK(memcmp(first, reply.digest, sizeof first) != 0);
    frames_finish(&wire);
}

static void sector_digests_are_the_start_of_each_sha256(void)
{
    struct frames wire;
    struct wry_digest_reply reply = {0};
    uint8_t digest[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_DIGEST, WRY_FLAG_SECTORS, 0x20000, 0x3000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_DIGEST | WRY_KIND_REPLY, 500 * MS));
    CHECK(wry_message_get_digest_reply(&wire.last, &reply));
    CHECK_EQUAL(24, reply.digest_length);
    for (uint32_t i = 0; i < 3; i++) {
        wry_sha256_begin(&sha);
        wry_sha256_add(&sha, wire.rig->flash + 0x20000 + (size_t)i * 0x1000, 0x1000);
        wry_sha256_end(&sha, digest);
        CHECK(memcmp(digest, reply.digest + (size_t)i * 8, 8) == 0);
    }
    frames_range(&wire, WRY_KIND_DIGEST, WRY_FLAG_SECTORS, 0, 0x101000);
    frames_expect_error(&wire, WRY_ERROR_BAD_RANGE);
    frames_finish(&wire);
}

static void unknown_and_malformed_requests_get_typed_errors(void)
{
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    frames_say(&wire, (const uint8_t[]){0x5A, 0, 1, 0}, 4, NULL, 0);
    frames_expect_error(&wire, WRY_ERROR_UNSUPPORTED);
    frames_say(&wire, (const uint8_t[]){WRY_KIND_DATA, 0, 1, 0, 9}, 5, NULL, 0);
    frames_expect_error(&wire, WRY_ERROR_MALFORMED);
    frames_say(&wire, (const uint8_t[]){WRY_KIND_HELLO, 0, 1, 0, 9}, 5, NULL, 0);
    frames_expect_error(&wire, WRY_ERROR_MALFORMED);
    frames_finish(&wire);
}

static void an_unconfirmed_speed_is_given_up(void)
{
    struct frames wire;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    const struct wry_port *port;

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    port = &wire.rig->adapter.port;
    frames_say(
        &wire, head,
        wry_message_put_speed(head, WRY_KIND_SPEED, 7, &(struct wry_speed_message){.baud = 921600}),
        NULL, 0);
    CHECK(frames_hear_kind(&wire, WRY_KIND_SPEED | WRY_KIND_REPLY, 100 * MS));
    port->sleep(port->context, port->now(port->context) + 100 * MS);
    CHECK_EQUAL(921600, wire.rig->board.loader.speed);
    port->sleep(port->context, port->now(port->context) + 400 * MS);
    CHECK_EQUAL(WRY_STARTING_SPEED, wire.rig->board.loader.speed);
    frames_hello(&wire, 1);
    frames_finish(&wire);
}

static void arbitrary_bytes_neither_stop_the_loader_nor_change_the_flash(void)
{
    struct frames wire;
    uint8_t bytes[512];

    frames_begin(&wire, &(struct rig_setup){.seed = 1, .flash_size = 0x400000});
    for (uint64_t seed = 0; seed < 300; seed++) {
        const struct wry_port *port = &wire.rig->adapter.port;
        rig_random(bytes, sizeof bytes, seed);
        for (size_t i = 0; i < sizeof bytes; i += 20 + seed % 50)
            bytes[i] = WRY_FRAME_FLAG;
        port->write(port->context, bytes, sizeof bytes);
    }
    while (frames_hear(&wire, 1000 * MS))
        ;
    frames_say(&wire, (const uint8_t[]){0}, 1, NULL, 0);
    CHECK_EQUAL(0, wire.rig->board.die.operations);
    frames_hello(&wire, 5);
    frames_finish(&wire);
}

/* Well-framed bodies of random fields: the worst that a confused host could send. */
static void arbitrary_messages_never_leave_the_flash_or_the_window(void)
{
    static const uint8_t kinds[] = {0x03, 0x04, 0x05, 0x06, 0x08, 0x01};
    struct frames wire;
    uint8_t body[600];

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    for (uint64_t seed = 0; seed < 1500; seed++) {
        uint64_t random = seed;
        rig_random(body, sizeof body, seed);
        body[0] = kinds[sim_random(&random) % sizeof kinds];
        if (seed % 3 != 0) {
            uint32_t grain = seed % 2 ? WRY_PAGE_SIZE : WRY_SECTOR_SIZE;
            bytes_put32(body + 4, (uint32_t)sim_random(&random) % 0x440000 & ~(grain - 1));
            bytes_put32(body + 8, (uint32_t)sim_random(&random) % 0x9000 & ~(grain - 1));
        }
        frames_say(&wire, body, 4 + (size_t)(sim_random(&random) % 596), NULL, 0);
    }
    while (frames_hear(&wire, 3000 * MS))
        ;
    CHECK(wire.rig->board.die.operations > 0);
    frames_hello(&wire, 5);
    frames_finish(&wire);
}

/* Pages that answer a read, as a map from offset; stops at the end of the request. */
static unsigned gather_pages(struct frames *wire, uint32_t offset, uint8_t pages[64],
                             uint32_t *longest)
{
    struct wry_data_message data;
    unsigned frames = 0;

    memset(pages, 0, 64);
    *longest = 0;
    while (frames_hear(wire, 300 * MS) && wire->last.kind != (WRY_KIND_READ | WRY_KIND_REPLY)) {
        if (wire->last.kind != (WRY_KIND_DATA | WRY_KIND_REPLY))
            continue;
        CHECK(wry_message_get_data(&wire->last, &data));
        for (uint32_t i = 0; i < data.length; i += WRY_PAGE_SIZE)
            pages[(data.offset - offset + i) / WRY_PAGE_SIZE]++;
        *longest = data.length > *longest ? data.length : *longest;
        frames++;
    }
    return frames;
}

static void a_read_may_choose_pages_and_the_length_of_frames(void)
{
    struct wry_read_message read = {.range = {.offset = 0x4000, .length = 40 * 256},
                                    .frame_max = 512,
                                    .chosen = true,
                                    .wanted = {0x83, 0, 0xFF, 0x01, 0x80}};
    uint8_t head[WRY_MESSAGE_HEAD_MAX], pages[64];
    struct frames wire;
    uint32_t longest;

    frames_begin(&wire, &(struct rig_setup){.seed = 4});
    memset(wire.rig->flash + 0x4000 + 17 * 256, 0xFF, 256);
    frames_hello(&wire, 1);
    frames_say(&wire, head, wry_message_put_read(head, ++wire.seq, &read), NULL, 0);
    gather_pages(&wire, 0x4000, pages, &longest);
    for (unsigned n = 0; n < 40; n++) {
        check_context("page %u", n);
        CHECK_EQUAL(read.wanted[n / 8] >> n % 8 & 1, pages[n]);
    }
    CHECK_EQUAL(512, longest);
    /* A choice that does not fit its range is no message. */
    size_t n = wry_message_put_read(head, ++wire.seq, &read);
    frames_say(&wire, head, n - 1, NULL, 0);
    frames_expect_error(&wire, WRY_ERROR_MALFORMED);
    frames_finish(&wire);
}

static void an_operation_of_a_dropped_job_is_not_the_next_one_s(void)
{
    struct frames wire;
    uint8_t page[WRY_PAGE_SIZE];

    frames_begin(&wire, &(struct rig_setup){.seed = 5, .blank = true});
    frames_hello(&wire, 1);
    memset(page, 0x11, sizeof page);
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x4000, 0x1000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    frames_data(&wire, 0x4000, page, sizeof page);
    /* A new session while that page is still being programmed, and the same page in its job. */
    while (wire.rig->board.die.pending_length == 0 || !wire.rig->board.die.pending_program)
        sim_adapter_advance(&wire.rig->adapter, wire.rig->adapter.now + 10000, false);
    wire.rig->board.die.busy_until += 60000000;
    frames_hello(&wire, 2);
    memset(page, 0x10, sizeof page);
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM | WRY_FLAG_FORCE, 0x4000, 0x1000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 200 * MS));
    for (uint32_t at = 0; at < 0x1000; at += sizeof page)
        frames_data(&wire, 0x4000 + at, page, sizeof page);
    while (frames_hear(&wire, 300 * MS))
        ;
    CHECK_EQUAL(WRY_JOB_DONE, frames_ask_status(&wire).job);
    CHECK(wire.rig->flash[0x4000] == 0x10 && wire.rig->flash[0x4FFF] == 0x10);
    frames_finish(&wire);
}

static void a_flash_that_is_busy_after_a_reset_is_waited_for(void)
{
    struct wry_hello_message hello = {.token = 9, .version_min = 1, .version_max = 1};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct frames wire;
    struct wry_hello_reply reply = {0};

    frames_begin(&wire, &(struct rig_setup){.seed = 6});
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x10000, 0x10000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    while (wire.rig->board.die.pending_length == 0)
        sim_adapter_advance(&wire.rig->adapter, wire.rig->adapter.now + 10000, false);
    wire.rig->board.die.busy_until += UINT64_C(1000000000);
    const struct wry_port *port = &wire.rig->adapter.port;
    port->set_lines(port->context, true, true);
    port->set_lines(port->context, false, true);
    port->sleep(port->context, port->now(port->context) + 100 * MS);
    port->discard(port->context);
    frames_say(&wire, head, wry_message_put_hello(head, ++wire.seq, &hello), NULL, 0);
    frames_expect_error(&wire, WRY_ERROR_BUSY);
    port->sleep(port->context, port->now(port->context) + 1200 * MS);
    frames_say(&wire, head, wry_message_put_hello(head, ++wire.seq, &hello), NULL, 0);
    CHECK(frames_hear_kind(&wire, WRY_KIND_HELLO | WRY_KIND_REPLY, 100 * MS));
    CHECK(wry_message_get_hello_reply(&wire.last, &reply));
    CHECK_EQUAL(0x400000, reply.capacity);
    frames_finish(&wire);
}

static void a_locked_range_is_refused_and_a_locked_page_is_named(void)
{
    struct wry_progress_message progress;
    uint8_t page[WRY_PAGE_SIZE] = {0};
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 7, .faults = {.protect = 0x24}});
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0xF000, 0x2000);
    frames_expect_error(&wire, WRY_ERROR_PROTECTED);
    CHECK(memcmp(wire.rig->flash, wire.rig->before, wire.rig->flash_size) == 0);
    /* Locked between the request and the page. */
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x20000, 0x1000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    while (wire.rig->board.loader.write.erased < 0x21000)
        sim_adapter_advance(&wire.rig->adapter, wire.rig->adapter.now + 10000, false);
    wire.rig->board.die.status = 0x1C;
    frames_data(&wire, 0x20000, page, sizeof page);
    while (frames_hear(&wire, 100 * MS))
        ;
    progress = frames_ask_status(&wire);
    CHECK_EQUAL(WRY_JOB_FAILED, progress.job);
    CHECK_EQUAL(WRY_ERROR_PROTECTED, progress.error);
    CHECK_EQUAL(0x20000, progress.error_offset);
    frames_finish(&wire);
}

static void an_erase_without_content_ends_by_itself(void)
{
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 8});
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_ERASE, 0, 0x8000, 0x19000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    frames_range(&wire, WRY_KIND_DIGEST, 0, 0x8000, 0x19000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_DIGEST | WRY_KIND_REPLY, 3000 * MS));
    CHECK_EQUAL(WRY_JOB_DONE, frames_ask_status(&wire).job);
    CHECK(wry_bytes_blank(wire.rig->flash + 0x8000, 0x19000));
    CHECK(memcmp(wire.rig->flash, wire.rig->before, 0x8000) == 0);
    CHECK(memcmp(wire.rig->flash + 0x21000, wire.rig->before + 0x21000, 0x1000) == 0);
    frames_finish(&wire);
}

static void sending_for_long_is_life_and_silence_is_not(void)
{
    struct frames wire;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    const struct wry_port *port;
    unsigned frames = 0;

    frames_begin(&wire, &(struct rig_setup){.seed = 9});
    port = &wire.rig->adapter.port;
    frames_hello(&wire, 1);
    frames_say(&wire, head,
               wry_message_put_speed(head, WRY_KIND_SPEED, ++wire.seq,
                                     &(struct wry_speed_message){.baud = 230400}),
               NULL, 0);
    CHECK(frames_hear_kind(&wire, WRY_KIND_SPEED | WRY_KIND_REPLY, 100 * MS));
    port->sleep(port->context, port->now(port->context) + 10 * MS);
    port->set_speed(port->context, 230400);
    frames_hello(&wire, 1);
    /* Four requests of 64 KiB take over eleven seconds, in which the host has nothing to say. */
    for (uint32_t i = 0; i < 4; i++)
        frames_range(&wire, WRY_KIND_READ, 0, i * 0x10000, 0x10000);
    while (frames_hear(&wire, 500 * MS))
        frames += wire.last.kind == (WRY_KIND_DATA | WRY_KIND_REPLY);
    CHECK_EQUAL(4 * 0x10000 / WRY_PAYLOAD_MAX, frames);
    CHECK_EQUAL(230400, wire.rig->board.loader.speed);
    port->sleep(port->context, port->now(port->context) + 7000 * MS);
    CHECK_EQUAL(WRY_STARTING_SPEED, wire.rig->board.loader.speed);
    frames_finish(&wire);
}

static void started_twice_it_is_as_new(void)
{
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 10});
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x4000, 0x1000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    const struct wry_port *port = &wire.rig->adapter.port;
    port->sleep(port->context, port->now(port->context) + 200 * MS);
    struct sim_board *board = &wire.rig->board;
    wry_loader_init(&board->loader, &board->port, &board->identity, board->memory,
                    board->memory_size);
    CHECK_EQUAL(WRY_JOB_NONE, frames_ask_status(&wire).job);
    frames_hello(&wire, 1);
    CHECK_EQUAL(0, wire.last.fields[5]); /* not continued: it is another life */
    frames_finish(&wire);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(hello_tells_what_the_board_is),
        FACT(bad_ranges_are_refused_before_anything_is_done),
        FACT(an_erase_leaves_its_neighbours_and_skips_what_is_blank),
        FACT(forced_erase_takes_blank_sectors_too_and_the_largest_units),
        FACT(pages_may_come_in_any_order_and_twice),
        FACT(data_outside_the_job_or_the_window_is_not_kept),
        FACT(a_second_erase_waits_its_turn_and_a_repeated_one_is_the_same),
        FACT(a_digest_asked_for_early_follows_the_write),
        FACT(a_digest_is_taken_anew_when_the_flash_changed),
        FACT(sector_digests_are_the_start_of_each_sha256),
        FACT(unknown_and_malformed_requests_get_typed_errors),
        FACT(an_unconfirmed_speed_is_given_up),
        FACT(a_read_may_choose_pages_and_the_length_of_frames),
        FACT(an_operation_of_a_dropped_job_is_not_the_next_one_s),
        FACT(a_flash_that_is_busy_after_a_reset_is_waited_for),
        FACT(a_locked_range_is_refused_and_a_locked_page_is_named),
        FACT(an_erase_without_content_ends_by_itself),
        FACT(sending_for_long_is_life_and_silence_is_not),
        FACT(started_twice_it_is_as_new),
        FACT(arbitrary_bytes_neither_stop_the_loader_nor_change_the_flash),
        FACT(arbitrary_messages_never_leave_the_flash_or_the_window),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
