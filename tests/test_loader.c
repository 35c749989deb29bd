/*
 * The loader, spoken to directly: a board in loading mode, frames in and out by hand.
 */
#include <string.h>

#include "core/bytes/fields.h"
#include "harness.h"
#include "rig.h"
#include "sim/random.h"
#include "talk.h"
#include "wrytograph/frame.h"

static void hello_tells_what_the_board_is(void)
{
    struct talk talk;
    struct wry_hello_reply reply = {0};

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    talk_hello(&talk, 99);
    CHECK(wry_message_get_hello_reply(&talk.last, &reply));
    CHECK_EQUAL(99, reply.token);
    CHECK_EQUAL(0x7402, reply.chip_code);
    CHECK_EQUAL(0x400000, reply.capacity);
    CHECK(!reply.continued);
    talk_hello(&talk, 99);
    CHECK(wry_message_get_hello_reply(&talk.last, &reply));
    CHECK(reply.continued);
    talk_finish(&talk);
}

static void bad_ranges_are_refused_before_anything_is_done(void)
{
    static const uint32_t ranges[][2] = {{0x400000, 0x1000}, {0x3FF000, 0x2000},   {0x1001, 0x1000},
                                         {0x1000, 0x800},    {0xFFFFF000, 0x1000}, {0x1000, 0}};
    struct talk talk;

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    talk_hello(&talk, 1);
    for (size_t i = 0; i < sizeof ranges / sizeof ranges[0]; i++) {
        check_context("range %zu", i);
        talk_range(&talk, WRY_KIND_ERASE, 0, ranges[i][0], ranges[i][1]);
        talk_expect_error(&talk, i < 4 ? WRY_ERROR_BAD_RANGE : WRY_ERROR_MALFORMED);
    }
    CHECK_EQUAL(0, talk.rig->board.die.operations);
    talk_finish(&talk);
}

static void an_erase_leaves_its_neighbours_and_skips_what_is_blank(void)
{
    struct talk talk;

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    memset(talk.rig->flash + 0x12000, 0xFF, 0x3000);
    memcpy(talk.rig->before, talk.rig->flash, talk.rig->flash_size);
    talk_hello(&talk, 1);
    talk_range(&talk, WRY_KIND_ERASE, 0, 0x11000, 0x6000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    while (talk_ask_status(&talk).job == WRY_JOB_RUNNING)
        ;
    CHECK_EQUAL(3, talk.rig->board.die.operations);
    CHECK(wry_bytes_blank(talk.rig->flash + 0x11000, 0x6000));
    CHECK(memcmp(talk.rig->before, talk.rig->flash, 0x11000) == 0);
    CHECK(memcmp(talk.rig->before + 0x17000, talk.rig->flash + 0x17000, 0x10000) == 0);
    talk_finish(&talk);
}

static void forced_erase_takes_blank_sectors_too_and_the_largest_units(void)
{
    struct talk talk;

    talk_begin(&talk, &(struct rig_setup){.seed = 1, .blank = true});
    talk_hello(&talk, 1);
    /* 1 sector, 32 KiB, 64 KiB, 1 sector */
    talk_range(&talk, WRY_KIND_ERASE, WRY_FLAG_FORCE, 0x17000, 0x1A000);
    while (talk_ask_status(&talk).job == WRY_JOB_RUNNING)
        ;
    CHECK_EQUAL(4, talk.rig->board.die.operations);
    CHECK_EQUAL(0x1A000, talk.rig->board.die.erased_bytes);
    talk_finish(&talk);
}

static void pages_may_come_in_any_order_and_twice(void)
{
    struct talk talk;
    uint8_t content[0x1000];

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    rig_random(content, sizeof content, 4);
    talk_hello(&talk, 1);
    talk_range(&talk, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x20000, sizeof content);
    for (uint32_t i = 0; i < 16; i++) {
        uint32_t page = (i * 7 + 3) % 16;
        talk_data(&talk, 0x20000 + page * 256, content + page * 256, 256);
        talk_data(&talk, 0x20000 + page * 256, content + page * 256, 256);
    }
    while (talk_ask_status(&talk).job == WRY_JOB_RUNNING)
        ;
    CHECK_EQUAL(WRY_JOB_DONE, talk_ask_status(&talk).job);
    CHECK(memcmp(talk.rig->flash + 0x20000, content, sizeof content) == 0);
    talk_finish(&talk);
}

static void data_outside_the_job_or_the_window_is_not_kept(void)
{
    struct talk talk;
    uint8_t page[256] = {0};

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    talk_hello(&talk, 1);
    talk_data(&talk, 0x20000, page, 256);
    CHECK_EQUAL(WRY_JOB_NONE, talk_ask_status(&talk).job);
    talk_range(&talk, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x20000, 0x100000);
    talk_data(&talk, 0x1FF00, page, 256);
    talk_expect_error(&talk, WRY_ERROR_BAD_RANGE);
    talk_data(&talk, 0x20010, page, 256);
    talk_expect_error(&talk, WRY_ERROR_BAD_RANGE);
    uint32_t window = talk.rig->board.loader.window_pages * 256u;
    talk_data(&talk, 0x20000 + window, page, 256);
    struct wry_progress_message progress = talk_ask_status(&talk);
    CHECK_EQUAL(0x20000, progress.received);
    CHECK_EQUAL(0x20000 + window, progress.limit);
    CHECK_EQUAL(0, progress.bitmap_length);
    talk_finish(&talk);
}

static void a_second_erase_waits_its_turn_and_a_repeated_one_is_the_same(void)
{
    struct talk talk;

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    talk_hello(&talk, 1);
    talk_range(&talk, WRY_KIND_ERASE, 0, 0x20000, 0x10000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    talk.seq--;
    talk_range(&talk, WRY_KIND_ERASE, 0, 0x20000, 0x10000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    talk_range(&talk, WRY_KIND_ERASE, 0, 0x40000, 0x10000);
    talk_expect_error(&talk, WRY_ERROR_BUSY);
    while (talk_ask_status(&talk).job == WRY_JOB_RUNNING)
        ;
    CHECK_EQUAL(1, talk.rig->board.die.operations);
    CHECK(memcmp(talk.rig->before + 0x40000, talk.rig->flash + 0x40000, 0x10000) == 0);
    talk_finish(&talk);
}

static void a_digest_asked_for_early_follows_the_write(void)
{
    struct talk talk;
    struct wry_digest_reply reply = {0};
    struct wry_sha256 sha;
    uint8_t content[0x1000], digest[WRY_SHA256_SIZE];

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    rig_random(content, sizeof content, 4);
    talk_hello(&talk, 1);
    talk_range(&talk, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x20000, sizeof content);
    talk_range(&talk, WRY_KIND_DIGEST, 0, 0x20000, sizeof content);
    for (uint32_t i = 0; i < 16; i++)
        talk_data(&talk, 0x20000 + i * 256, content + (size_t)i * 256, 256);
    CHECK(talk_hear_kind(&talk, WRY_KIND_DIGEST | WRY_KIND_REPLY, 500 * MS));
    CHECK(wry_message_get_digest_reply(&talk.last, &reply));
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, content, sizeof content);
    wry_sha256_end(&sha, digest);
    CHECK_EQUAL(sizeof digest, reply.digest_length);
    CHECK(memcmp(digest, reply.digest, sizeof digest) == 0);
    talk_finish(&talk);
}

static void a_digest_is_taken_anew_when_the_flash_changed(void)
{
    struct talk talk;
    uint8_t first[WRY_SHA256_SIZE];
    struct wry_digest_reply reply = {0};

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    talk_hello(&talk, 1);
    talk_range(&talk, WRY_KIND_DIGEST, 0, 0x20000, 0x2000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_DIGEST | WRY_KIND_REPLY, 500 * MS));
    CHECK(wry_message_get_digest_reply(&talk.last, &reply));
    memcpy(first, reply.digest, sizeof first);
    talk_range(&talk, WRY_KIND_ERASE, 0, 0x21000, 0x1000);
    talk_range(&talk, WRY_KIND_DIGEST, 0, 0x20000, 0x2000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_DIGEST | WRY_KIND_REPLY, 500 * MS));
    CHECK(wry_message_get_digest_reply(&talk.last, &reply));
    CHECK(memcmp(first, reply.digest, sizeof first) != 0);
    talk_finish(&talk);
}

static void sector_digests_are_the_start_of_each_sha256(void)
{
    struct talk talk;
    struct wry_digest_reply reply = {0};
    uint8_t digest[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    talk_hello(&talk, 1);
    talk_range(&talk, WRY_KIND_DIGEST, WRY_FLAG_SECTORS, 0x20000, 0x3000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_DIGEST | WRY_KIND_REPLY, 500 * MS));
    CHECK(wry_message_get_digest_reply(&talk.last, &reply));
    CHECK_EQUAL(24, reply.digest_length);
    for (uint32_t i = 0; i < 3; i++) {
        wry_sha256_begin(&sha);
        wry_sha256_add(&sha, talk.rig->flash + 0x20000 + (size_t)i * 0x1000, 0x1000);
        wry_sha256_end(&sha, digest);
        CHECK(memcmp(digest, reply.digest + (size_t)i * 8, 8) == 0);
    }
    talk_range(&talk, WRY_KIND_DIGEST, WRY_FLAG_SECTORS, 0, 0x101000);
    talk_expect_error(&talk, WRY_ERROR_BAD_RANGE);
    talk_finish(&talk);
}

static void unknown_and_malformed_requests_get_typed_errors(void)
{
    struct talk talk;

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    talk_say(&talk, (const uint8_t[]){0x5A, 0, 1, 0}, 4, NULL, 0);
    talk_expect_error(&talk, WRY_ERROR_UNSUPPORTED);
    talk_say(&talk, (const uint8_t[]){WRY_KIND_DATA, 0, 1, 0, 9}, 5, NULL, 0);
    talk_expect_error(&talk, WRY_ERROR_MALFORMED);
    talk_say(&talk, (const uint8_t[]){WRY_KIND_HELLO, 0, 1, 0, 9}, 5, NULL, 0);
    talk_expect_error(&talk, WRY_ERROR_MALFORMED);
    talk_finish(&talk);
}

static void an_unconfirmed_speed_is_given_up(void)
{
    struct talk talk;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    const struct wry_port *port;

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    port = &talk.rig->adapter.port;
    talk_say(
        &talk, head,
        wry_message_put_speed(head, WRY_KIND_SPEED, 7, &(struct wry_speed_message){.baud = 921600}),
        NULL, 0);
    CHECK(talk_hear_kind(&talk, WRY_KIND_SPEED | WRY_KIND_REPLY, 100 * MS));
    port->sleep(port->context, port->now(port->context) + 100 * MS);
    CHECK_EQUAL(921600, talk.rig->board.loader.speed);
    port->sleep(port->context, port->now(port->context) + 400 * MS);
    CHECK_EQUAL(WRY_STARTING_SPEED, talk.rig->board.loader.speed);
    talk_hello(&talk, 1);
    talk_finish(&talk);
}

static void arbitrary_bytes_neither_stop_the_loader_nor_change_the_flash(void)
{
    struct talk talk;
    uint8_t bytes[512];

    talk_begin(&talk, &(struct rig_setup){.seed = 1, .flash_size = 0x400000});
    for (uint64_t seed = 0; seed < 300; seed++) {
        const struct wry_port *port = &talk.rig->adapter.port;
        rig_random(bytes, sizeof bytes, seed);
        for (size_t i = 0; i < sizeof bytes; i += 20 + seed % 50)
            bytes[i] = WRY_FRAME_FLAG;
        port->write(port->context, bytes, sizeof bytes);
    }
    while (talk_hear(&talk, 1000 * MS))
        ;
    talk_say(&talk, (const uint8_t[]){0}, 1, NULL, 0);
    CHECK_EQUAL(0, talk.rig->board.die.operations);
    talk_hello(&talk, 5);
    talk_finish(&talk);
}

/* Well-framed bodies of random fields: the worst that a confused host could send. */
static void arbitrary_messages_never_leave_the_flash_or_the_window(void)
{
    static const uint8_t kinds[] = {0x03, 0x04, 0x05, 0x06, 0x08, 0x01};
    struct talk talk;
    uint8_t body[600];

    talk_begin(&talk, &(struct rig_setup){.seed = 1});
    for (uint64_t seed = 0; seed < 1500; seed++) {
        uint64_t random = seed;
        rig_random(body, sizeof body, seed);
        body[0] = kinds[sim_random(&random) % sizeof kinds];
        if (seed % 3 != 0) {
            uint32_t grain = seed % 2 ? WRY_PAGE_SIZE : WRY_SECTOR_SIZE;
            bytes_put32(body + 4, (uint32_t)sim_random(&random) % 0x440000 & ~(grain - 1));
            bytes_put32(body + 8, (uint32_t)sim_random(&random) % 0x9000 & ~(grain - 1));
        }
        talk_say(&talk, body, 4 + (size_t)(sim_random(&random) % 596), NULL, 0);
    }
    while (talk_hear(&talk, 3000 * MS))
        ;
    CHECK(talk.rig->board.die.operations > 0);
    talk_hello(&talk, 5);
    talk_finish(&talk);
}

/* Pages that answer a read, as a map from offset; stops at the end of the request. */
static unsigned gather_pages(struct talk *talk, uint32_t offset, uint8_t pages[64],
                             uint32_t *longest)
{
    struct wry_data_message data;
    unsigned frames = 0;

    memset(pages, 0, 64);
    *longest = 0;
    while (talk_hear(talk, 300 * MS) && talk->last.kind != (WRY_KIND_READ | WRY_KIND_REPLY)) {
        if (talk->last.kind != (WRY_KIND_DATA | WRY_KIND_REPLY))
            continue;
        CHECK(wry_message_get_data(&talk->last, &data));
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
    struct talk talk;
    uint32_t longest;

    talk_begin(&talk, &(struct rig_setup){.seed = 4});
    memset(talk.rig->flash + 0x4000 + 17 * 256, 0xFF, 256);
    talk_hello(&talk, 1);
    talk_say(&talk, head, wry_message_put_read(head, ++talk.seq, &read), NULL, 0);
    gather_pages(&talk, 0x4000, pages, &longest);
    for (unsigned n = 0; n < 40; n++) {
        check_context("page %u", n);
        CHECK_EQUAL(read.wanted[n / 8] >> n % 8 & 1, pages[n]);
    }
    CHECK_EQUAL(512, longest);
    /* A choice that does not fit its range is no message. */
    size_t n = wry_message_put_read(head, ++talk.seq, &read);
    talk_say(&talk, head, n - 1, NULL, 0);
    talk_expect_error(&talk, WRY_ERROR_MALFORMED);
    talk_finish(&talk);
}

static void an_operation_of_a_dropped_job_is_not_the_next_one_s(void)
{
    struct talk talk;
    uint8_t page[WRY_PAGE_SIZE];

    talk_begin(&talk, &(struct rig_setup){.seed = 5, .blank = true});
    talk_hello(&talk, 1);
    memset(page, 0x11, sizeof page);
    talk_range(&talk, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x4000, 0x1000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    talk_data(&talk, 0x4000, page, sizeof page);
    /* A new session while that page is still being programmed, and the same page in its job. */
    while (talk.rig->board.die.pending_length == 0 || !talk.rig->board.die.pending_program)
        sim_adapter_advance(&talk.rig->adapter, talk.rig->adapter.now + 10000, false);
    talk.rig->board.die.busy_until += 60000000;
    talk_hello(&talk, 2);
    memset(page, 0x10, sizeof page);
    talk_range(&talk, WRY_KIND_ERASE, WRY_FLAG_PROGRAM | WRY_FLAG_FORCE, 0x4000, 0x1000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_ERASE | WRY_KIND_REPLY, 200 * MS));
    for (uint32_t at = 0; at < 0x1000; at += sizeof page)
        talk_data(&talk, 0x4000 + at, page, sizeof page);
    while (talk_hear(&talk, 300 * MS))
        ;
    CHECK_EQUAL(WRY_JOB_DONE, talk_ask_status(&talk).job);
    CHECK(talk.rig->flash[0x4000] == 0x10 && talk.rig->flash[0x4FFF] == 0x10);
    talk_finish(&talk);
}

static void a_flash_that_is_busy_after_a_reset_is_waited_for(void)
{
    struct wry_hello_message hello = {.token = 9, .version_min = 1, .version_max = 1};
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct talk talk;
    struct wry_hello_reply reply = {0};

    talk_begin(&talk, &(struct rig_setup){.seed = 6});
    talk_hello(&talk, 1);
    talk_range(&talk, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x10000, 0x10000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    while (talk.rig->board.die.pending_length == 0)
        sim_adapter_advance(&talk.rig->adapter, talk.rig->adapter.now + 10000, false);
    talk.rig->board.die.busy_until += UINT64_C(1000000000);
    const struct wry_port *port = &talk.rig->adapter.port;
    port->set_lines(port->context, true, true);
    port->set_lines(port->context, false, true);
    port->sleep(port->context, port->now(port->context) + 100 * MS);
    port->discard(port->context);
    talk_say(&talk, head, wry_message_put_hello(head, ++talk.seq, &hello), NULL, 0);
    talk_expect_error(&talk, WRY_ERROR_BUSY);
    port->sleep(port->context, port->now(port->context) + 1200 * MS);
    talk_say(&talk, head, wry_message_put_hello(head, ++talk.seq, &hello), NULL, 0);
    CHECK(talk_hear_kind(&talk, WRY_KIND_HELLO | WRY_KIND_REPLY, 100 * MS));
    CHECK(wry_message_get_hello_reply(&talk.last, &reply));
    CHECK_EQUAL(0x400000, reply.capacity);
    talk_finish(&talk);
}

static void a_locked_range_is_refused_and_a_locked_page_is_named(void)
{
    struct wry_progress_message progress;
    uint8_t page[WRY_PAGE_SIZE] = {0};
    struct talk talk;

    talk_begin(&talk, &(struct rig_setup){.seed = 7, .faults = {.protect = 0x24}});
    talk_hello(&talk, 1);
    talk_range(&talk, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0xF000, 0x2000);
    talk_expect_error(&talk, WRY_ERROR_PROTECTED);
    CHECK(memcmp(talk.rig->flash, talk.rig->before, talk.rig->flash_size) == 0);
    /* Locked between the request and the page. */
    talk_range(&talk, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x20000, 0x1000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    while (talk.rig->board.loader.write.erased < 0x21000)
        sim_adapter_advance(&talk.rig->adapter, talk.rig->adapter.now + 10000, false);
    talk.rig->board.die.status = 0x1C;
    talk_data(&talk, 0x20000, page, sizeof page);
    while (talk_hear(&talk, 100 * MS))
        ;
    progress = talk_ask_status(&talk);
    CHECK_EQUAL(WRY_JOB_FAILED, progress.job);
    CHECK_EQUAL(WRY_ERROR_PROTECTED, progress.error);
    CHECK_EQUAL(0x20000, progress.error_offset);
    talk_finish(&talk);
}

static void an_erase_without_content_ends_by_itself(void)
{
    struct talk talk;

    talk_begin(&talk, &(struct rig_setup){.seed = 8});
    talk_hello(&talk, 1);
    talk_range(&talk, WRY_KIND_ERASE, 0, 0x8000, 0x19000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    talk_range(&talk, WRY_KIND_DIGEST, 0, 0x8000, 0x19000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_DIGEST | WRY_KIND_REPLY, 3000 * MS));
    CHECK_EQUAL(WRY_JOB_DONE, talk_ask_status(&talk).job);
    CHECK(wry_bytes_blank(talk.rig->flash + 0x8000, 0x19000));
    CHECK(memcmp(talk.rig->flash, talk.rig->before, 0x8000) == 0);
    CHECK(memcmp(talk.rig->flash + 0x21000, talk.rig->before + 0x21000, 0x1000) == 0);
    talk_finish(&talk);
}

static void sending_for_long_is_life_and_silence_is_not(void)
{
    struct talk talk;
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    const struct wry_port *port;
    unsigned frames = 0;

    talk_begin(&talk, &(struct rig_setup){.seed = 9});
    port = &talk.rig->adapter.port;
    talk_hello(&talk, 1);
    talk_say(&talk, head,
             wry_message_put_speed(head, WRY_KIND_SPEED, ++talk.seq,
                                   &(struct wry_speed_message){.baud = 230400}),
             NULL, 0);
    CHECK(talk_hear_kind(&talk, WRY_KIND_SPEED | WRY_KIND_REPLY, 100 * MS));
    port->sleep(port->context, port->now(port->context) + 10 * MS);
    port->set_speed(port->context, 230400);
    talk_hello(&talk, 1);
    /* Four requests of 64 KiB take over eleven seconds, in which the host has nothing to say. */
    for (uint32_t i = 0; i < 4; i++)
        talk_range(&talk, WRY_KIND_READ, 0, i * 0x10000, 0x10000);
    while (talk_hear(&talk, 500 * MS))
        frames += talk.last.kind == (WRY_KIND_DATA | WRY_KIND_REPLY);
    CHECK_EQUAL(4 * 0x10000 / WRY_PAYLOAD_MAX, frames);
    CHECK_EQUAL(230400, talk.rig->board.loader.speed);
    port->sleep(port->context, port->now(port->context) + 7000 * MS);
    CHECK_EQUAL(WRY_STARTING_SPEED, talk.rig->board.loader.speed);
    talk_finish(&talk);
}

static void started_twice_it_is_as_new(void)
{
    struct talk talk;

    talk_begin(&talk, &(struct rig_setup){.seed = 10});
    talk_hello(&talk, 1);
    talk_range(&talk, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x4000, 0x1000);
    CHECK(talk_hear_kind(&talk, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    const struct wry_port *port = &talk.rig->adapter.port;
    port->sleep(port->context, port->now(port->context) + 200 * MS);
    struct sim_board *board = &talk.rig->board;
    wry_loader_init(&board->loader, &board->port, &board->identity, board->memory,
                    board->memory_size);
    CHECK_EQUAL(WRY_JOB_NONE, talk_ask_status(&talk).job);
    talk_hello(&talk, 1);
    CHECK_EQUAL(0, talk.last.fields[5]); /* not continued: it is another life */
    talk_finish(&talk);
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
