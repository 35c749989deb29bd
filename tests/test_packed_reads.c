/* Content that a board sends packed: right on every line, and as it is where it cannot be packed.
 */
#include <stdlib.h>
#include <string.h>

#include "demo/program_like.h"
#include "frames.h"
#include "harness.h"
#include "port_filter.h"
#include "rig.h"

enum {
    OFFSET = 0x12345,
    LENGTH = 0x51111,
};

struct taken {
    uint8_t bytes[LENGTH];
    uint32_t twice; /* bytes that came more than once */
    bool has[LENGTH];
};

static struct taken taken;

static bool take(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct taken *t = context;

    memcpy(t->bytes + (offset - OFFSET), bytes, n);
    for (size_t i = 0; i < n; i++) {
        t->twice += t->has[offset - OFFSET + i];
        t->has[offset - OFFSET + i] = true;
    }
    return true;
}

/* Programs with a blank stretch between them. */
static struct rig *begin(const struct rig_setup *setup)
{
    struct rig *rig = rig_new(setup);

    fill_like_program(rig->flash + 0x10000, 0x20000, setup->seed, 0);
    memset(rig->flash + 0x30000, 0xFF, 0x21000);
    fill_like_program(rig->flash + 0x51000, 0x20000, setup->seed + 1, 0);
    return rig;
}

/* Returns bytes that came over the line. */
static uint64_t read_all(struct rig *rig)
{
    struct wry_writer writer = {.context = &taken, .write = take};
    uint8_t ours[WRY_SHA256_SIZE], theirs[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    memset(&taken, 0, sizeof taken);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    uint64_t before = wry_session_stats(&rig->session)->bytes_received;
    CHECK_EQUAL(WRY_OK, wry_session_back_up(&rig->session, OFFSET, LENGTH, &writer, theirs));
    CHECK(memcmp(taken.bytes, rig->flash + OFFSET, LENGTH) == 0);
    CHECK_EQUAL(0, taken.twice);
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, taken.bytes, LENGTH);
    wry_sha256_end(&sha, ours);
    CHECK(memcmp(ours, theirs, sizeof ours) == 0);
    return wry_session_stats(&rig->session)->bytes_received - before;
}

static void every_chip_packs_what_it_sends(void)
{
    static const uint16_t chips[] = {WRY_CHIP_SANDERLING_S1, WRY_CHIP_TURNSTONE_T2,
                                     WRY_CHIP_DUNLIN_D3};

    for (size_t i = 0; i < 3; i++) {
        struct rig *rig =
            begin(&(struct rig_setup){.seed = i, .chip_code = chips[i], .flash_size = 0x200000});
        uint64_t n = read_all(rig);
        check_context("chip %zu: %u bytes", i, (unsigned)n);
        CHECK(n < LENGTH * 45 / 100);
        rig_free(rig);
    }
}

static void who_cannot_unpack_or_pack_gets_it_as_it_is(void)
{
    for (unsigned i = 0; i < 2; i++) {
        struct rig *rig = begin(&(struct rig_setup){.seed = i, .plain_reads = i == 0});
        if (i == 1)
            rig->board.memory_size = 40 * 1024;
        CHECK(read_all(rig) > (LENGTH - 0x21000) * 100 / 100);
        CHECK_EQUAL(i == 0, (wry_session_board(&rig->session)->features & WRY_FEATURE_PACKED) != 0);
        rig_free(rig);
    }
}

static void content_that_does_not_pack_costs_little_more(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 3});
    uint64_t n = read_all(rig);

    check_context("%u bytes", (unsigned)n);
    CHECK(n < LENGTH * 104 / 100);
    rig_free(rig);
}

static void noise_is_made_good_and_nothing_comes_twice(void)
{
    static const uint32_t speeds[] = {9600, 57600, 115200, 460800, 921600, 2000000};

    for (uint64_t seed = 0; seed < 36; seed++) {
        struct rig *rig = begin(
            &(struct rig_setup){.seed = seed,
                                .max_speed = speeds[seed % 6],
                                .faults = {.noise_ppb = (uint32_t)(seed / 6 * seed / 6) * 4000}});
        rig->adapter.inbox.latency = seed % 4 * 20 * UINT64_C(1000000);
        check_context("seed %u", (unsigned)seed);
        read_all(rig);
        rig_free(rig);
    }
}

static void a_cable_that_is_pulled_and_put_back_is_gone_on_from(void)
{
    for (uint64_t at = 500; at < 1400; at += 83) {
        struct rig *rig = begin(&(struct rig_setup){.seed = at, .faults = {.cable_cut = at}});
        rig_mend_by(rig, rig_put_cable_back);
        check_context("cut at %u", (unsigned)at);
        read_all(rig);
        rig_free(rig);
    }
}

/* A computer that is busy with something else for a while, again and again: what the board says
 * meanwhile waits in buffers. */
struct busy_computer {
    const struct wry_port *inner;
    uint64_t every, length; /* us */
    uint64_t next;
    struct wry_port port;
};

static enum wry_status busy_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                 size_t *got)
{
    struct busy_computer *busy = context;
    const struct wry_port *inner = busy->inner;

    if (inner->now(inner->context) < busy->next)
        return inner->read(inner->context, bytes, room, deadline, got);
    inner->sleep(inner->context, inner->now(inner->context) + busy->length);
    busy->next = inner->now(inner->context) + busy->every;
    /* The wait was over before anything was looked at. */
    *got = 0;
    return WRY_OK;
}

static void a_busy_computer_does_not_ask_for_what_is_on_its_way(void)
{
    uint64_t best = 0;

    for (uint64_t every = 0; every <= 5; every++) {
        struct rig *rig = begin(&(struct rig_setup){.seed = 3, .max_speed = 921600});
        struct busy_computer busy = {.inner = &rig->adapter.port,
                                     .every = every * 170000,
                                     .length = 250000,
                                     .next = every == 0 ? UINT64_MAX : 1200000};
        busy.port = port_filter(&busy);
        busy.port.read = busy_read;
        wry_session_init(&rig->session, &busy.port, &rig->config);
        uint64_t n = read_all(rig);
        best = every == 0 ? n : best;
        check_context("busy every %u ms: %u bytes, %u at best", (unsigned)every * 170, (unsigned)n,
                      (unsigned)best);
        CHECK(n * 100 <= best * 105);
        rig_free(rig);
    }
    check_context(NULL);
}

static void ask_packed(struct frames *wire, uint32_t offset, uint32_t length)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_read_message read = {.range = {.offset = offset, .length = length}, .packed = true};

    frames_say(wire, head, wry_message_put_read(head, ++wire->seq, &read), NULL, 0);
}

static void ask_soon(struct frames *wire, uint32_t offset, uint32_t length, unsigned page)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_read_message read = {.range = {.offset = offset, .length = length},
                                    .packed = true,
                                    .soon = true,
                                    .chosen = true};

    read.wanted[page / 8] = (uint8_t)(1u << page % 8);
    frames_say(wire, head, wry_message_put_read(head, ++wire->seq, &read), NULL, 0);
}

/* The stream's bytes from at on, as one frame or more, and its end. */
static uint32_t hear_stream(struct frames *wire, uint8_t *stream)
{
    struct wry_data_message data;
    uint32_t length = 0;

    while (frames_hear(wire, 3000 * MS)) {
        if (wire->last.kind == (WRY_KIND_READ | WRY_KIND_REPLY))
            break;
        if (wire->last.kind == (WRY_KIND_DATA | WRY_KIND_REPLY) &&
            wry_message_get_data(&wire->last, &data) && data.encoding == WRY_ENCODING_STREAM)
            memcpy(stream + data.offset, data.payload, data.length);
    }
    CHECK_EQUAL(WRY_KIND_READ | WRY_KIND_REPLY, wire->last.kind);
    CHECK(wry_message_get_read_end(&wire->last, &length));
    return length;
}

/* What was lost of a stream comes before what was asked for earlier, as long as it is kept. */
static void what_was_lost_is_sent_again_before_anything_else(void)
{
    static uint8_t stream[0x10000], again[0x10000];
    struct wry_data_message data;
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    fill_like_program(wire.rig->flash, 0x40000, 3, 0);
    frames_hello(&wire, 1);
    ask_packed(&wire, 0, 0x8000);
    uint32_t length = hear_stream(&wire, stream);
    CHECK(length > 0x1000 && length < 0x8000);
    ask_packed(&wire, 0x8000, 0x8000);
    ask_packed(&wire, 0x10000, 0x8000);
    ask_soon(&wire, 0, 0x8000, 5);
    uint16_t soon = wire.seq;
    CHECK(frames_hear_kind(&wire, WRY_KIND_DATA | WRY_KIND_REPLY, 1000 * MS));
    while (wire.last.seq != soon) /* what was on its way already */
        CHECK(frames_hear(&wire, 1000 * MS) && wire.last.kind == (WRY_KIND_DATA | WRY_KIND_REPLY));
    CHECK(wry_message_get_data(&wire.last, &data));
    CHECK(data.offset == 5 * 256 && data.length == 256);
    CHECK(memcmp(data.payload, stream + 5 * 256, 256) == 0);
    for (int i = 0; i < 2; i++) {
        CHECK(frames_hear(&wire, 100 * MS) && wire.last.seq == soon);
        CHECK_EQUAL(WRY_KIND_READ | WRY_KIND_REPLY, wire.last.kind);
    }
    hear_stream(&wire, again);
    hear_stream(&wire, again);
    /* Later streams have gone over it by now: it is made once more, and is the same. */
    ask_packed(&wire, 0x18000, 0xF000);
    ask_packed(&wire, 0x28000, 0xF000);
    hear_stream(&wire, again);
    hear_stream(&wire, again);
    ask_soon(&wire, 0, 0x8000, 7);
    memset(again, 0, sizeof again);
    CHECK_EQUAL(length, hear_stream(&wire, again));
    CHECK(memcmp(again + 7 * 256, stream + 7 * 256, 256) == 0);
    CHECK(again[6 * 256] == 0 && again[8 * 256] == 0);
    frames_finish(&wire);
}

/* A write takes the memory, and changes what the streams were of. */
static void no_stream_outlives_a_write(void)
{
    static uint8_t stream[0x10000], again[0x10000];
    uint8_t page[WRY_PAGE_SIZE];
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 2});
    fill_like_program(wire.rig->flash, 0x10000, 3, 0);
    rig_random(page, sizeof page, 2);
    frames_hello(&wire, 1);
    ask_packed(&wire, 0, 0x8000);
    uint32_t length = hear_stream(&wire, stream);
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x1000, 0x1000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    for (uint32_t at = 0; at < 0x1000; at += sizeof page)
        frames_data(&wire, 0x1000 + at, page, sizeof page);
    while (wire.rig->board.loader.write.state == WRY_JOB_RUNNING)
        sim_adapter_advance(&wire.rig->adapter, wire.rig->adapter.now + 10000, false);
    ask_soon(&wire, 0, 0x8000, 2);
    CHECK(hear_stream(&wire, again) != length);
    frames_finish(&wire);
}

/* The board still has the job of a write that was given up, and with it the memory. */
static void a_read_after_a_write_that_was_given_up_comes_as_it_is(void)
{
    struct rig *rig = begin(&(struct rig_setup){.seed = 5, .faults = {.cable_cut = 30000}});
    struct wry_placement item = {
        .offset = 0x80000, .length = 0x20000, .reader = rig_reader(taken.bytes)};
    struct wry_plan plan;
    struct wry_fault fault;

    rig->config.patience = 1000000;
    rig_new_session(rig, 3);
    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    rig_random(taken.bytes, sizeof taken.bytes, 1);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_LINK_LOST, wry_session_write(&rig->session, &plan));
    rig->board.faults.cable_cut = 0;
    rig->adapter.to_board.cut = rig->adapter.to_host.cut = false;
    struct wry_writer writer = {.context = &taken, .write = take};
    memset(&taken, 0, sizeof taken);
    CHECK_EQUAL(WRY_OK, wry_session_read(&rig->session, OFFSET, LENGTH, &writer));
    CHECK(memcmp(taken.bytes, rig->flash + OFFSET, LENGTH) == 0);
    rig_free(rig);
}

static void what_is_blank_is_told_by_a_stream_of_no_length(void)
{
    struct frames wire;
    uint32_t length = 1;

    frames_begin(&wire, &(struct rig_setup){.seed = 1, .blank = true});
    frames_hello(&wire, 1);
    ask_packed(&wire, 0x1000, WRY_READ_PACKED_MOST);
    CHECK(frames_hear_kind(&wire, WRY_KIND_READ | WRY_KIND_REPLY, 500 * MS));
    CHECK(wry_message_get_read_end(&wire.last, &length));
    CHECK_EQUAL(0, length);
    ask_packed(&wire, 0x1000, WRY_READ_PACKED_MOST + 1);
    frames_expect_error(&wire, WRY_ERROR_MALFORMED);
    frames_finish(&wire);
}

static void a_write_takes_the_memory_of_what_is_being_packed(void)
{
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 2});
    frames_hello(&wire, 1);
    ask_packed(&wire, 0x10000, WRY_READ_PACKED_MOST);
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x20000, 0x1000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 500 * MS));
    ask_packed(&wire, 0x10000, 0x1000);
    frames_expect_error(&wire, WRY_ERROR_BUSY);
    /* No more of the first one comes. */
    CHECK(!frames_hear_kind(&wire, WRY_KIND_READ | WRY_KIND_REPLY, 2000 * MS));
    frames_finish(&wire);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_chip_packs_what_it_sends),
        FACT(who_cannot_unpack_or_pack_gets_it_as_it_is),
        FACT(content_that_does_not_pack_costs_little_more),
        FACT(noise_is_made_good_and_nothing_comes_twice),
        FACT(a_cable_that_is_pulled_and_put_back_is_gone_on_from),
        FACT(a_busy_computer_does_not_ask_for_what_is_on_its_way),
        FACT(what_was_lost_is_sent_again_before_anything_else),
        FACT(no_stream_outlives_a_write),
        FACT(a_read_after_a_write_that_was_given_up_comes_as_it_is),
        FACT(what_is_blank_is_told_by_a_stream_of_no_length),
        FACT(a_write_takes_the_memory_of_what_is_being_packed),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
