/* Digests one after the other, sectors found that differ, erases without content, blank stretches
 * that are not looked at twice. */
#include <string.h>

#include "frames.h"
#include "harness.h"
#include "sim/random.h"

enum { MIB = 0x100000 };

static void digest_of(const uint8_t *bytes, size_t n, uint8_t digest[WRY_SHA256_SIZE])
{
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, bytes, n);
    wry_sha256_end(&sha, digest);
}

/* The next digest that comes is that of the flash from offset on. */
static void expect_digest(struct frames *wire, uint32_t offset, uint32_t length)
{
    struct wry_digest_reply reply = {0};
    uint8_t digest[WRY_SHA256_SIZE];

    digest_of(wire->rig->flash + offset, length, digest);
    CHECK(frames_hear_kind(wire, WRY_KIND_DIGEST | WRY_KIND_REPLY, 1000 * MS));
    CHECK(wry_message_get_digest_reply(&wire->last, &reply));
    CHECK_EQUAL(offset, reply.range.offset);
    CHECK_EQUAL(length, reply.range.length);
    CHECK_EQUAL(sizeof digest, reply.digest_length);
    CHECK(memcmp(digest, reply.digest, sizeof digest) == 0);
}

static void a_digest_that_comes_after_another_waits_for_it(void)
{
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    frames_hello(&wire, 1);
    /* With nothing under way it begins at once. */
    frames_range(&wire, WRY_KIND_DIGEST, WRY_FLAG_AFTER, 0, 0x10000);
    frames_range(&wire, WRY_KIND_DIGEST, WRY_FLAG_AFTER, 0x10000, 0x10000);
    /* The first asked for once more leaves the next where it is; and the next goes with a newer. */
    frames_range(&wire, WRY_KIND_DIGEST, 0, 0, 0x10000);
    frames_range(&wire, WRY_KIND_DIGEST, WRY_FLAG_AFTER, 0x30000, 0x8000);
    expect_digest(&wire, 0, 0x10000);
    expect_digest(&wire, 0x30000, 0x8000);
    CHECK(!frames_hear(&wire, 200 * MS));
    /* One that does not wait takes the place of both. */
    frames_range(&wire, WRY_KIND_DIGEST, 0, 0, 0x20000);
    frames_range(&wire, WRY_KIND_DIGEST, WRY_FLAG_AFTER, 0x20000, 0x10000);
    frames_range(&wire, WRY_KIND_DIGEST, 0, 0x40000, 0x8000);
    expect_digest(&wire, 0x40000, 0x8000);
    CHECK(!frames_hear(&wire, 300 * MS));
    /* Neither outlives the session. */
    frames_range(&wire, WRY_KIND_DIGEST, 0, 0, 0x20000);
    frames_range(&wire, WRY_KIND_DIGEST, WRY_FLAG_AFTER, 0x20000, 0x10000);
    frames_hello(&wire, 2);
    CHECK(!frames_hear(&wire, 300 * MS));
    frames_finish(&wire);
}

/* The digest of the digests of every 2^spread-th sector of the range. */
static void expect_together(struct frames *wire, uint32_t offset, uint32_t length, unsigned spread)
{
    struct wry_digest_reply reply = {0};
    uint8_t ours[WRY_SHA256_SIZE], sector[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    wry_sha256_begin(&sha);
    for (uint32_t at = 0; at < length; at += (uint32_t)WRY_SECTOR_SIZE << spread) {
        digest_of(wire->rig->flash + offset + at, WRY_SECTOR_SIZE, sector);
        wry_sha256_add(&sha, sector, sizeof sector);
    }
    wry_sha256_end(&sha, ours);
    CHECK(frames_hear_kind(wire, WRY_KIND_DIGEST | WRY_KIND_REPLY, 1000 * MS));
    CHECK(wry_message_get_digest_reply(&wire->last, &reply));
    CHECK_EQUAL(offset, reply.range.offset);
    CHECK_EQUAL(length, reply.range.length);
    CHECK_EQUAL(sizeof ours, reply.digest_length);
    CHECK(memcmp(ours, reply.digest, sizeof ours) == 0);
}

static void a_digest_of_digests_is_of_whole_ones(void)
{
    enum { ALL = WRY_FLAG_SECTORS | WRY_FLAG_WHOLE | WRY_FLAG_TOGETHER };
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 6});
    frames_hello(&wire, 1);
    memset(wire.rig->flash + 0x108000, 0xFF, 0x30000); /* the simulated flash's own bytes */
    wire.rig->flash[0x110FFF] = 0xFE;
    for (unsigned i = 0; i < 3; i++) {
        static const uint32_t lengths[] = {1, 3, 64};
        uint32_t length = lengths[i] * WRY_SECTOR_SIZE;
        frames_range(&wire, WRY_KIND_DIGEST, ALL, 0x100000, length);
        expect_together(&wire, 0x100000, length, 0);
    }
    /* Said again without being read again. */
    uint64_t before = wire.rig->board.clock;
    frames_range(&wire, WRY_KIND_DIGEST, ALL, 0x100000, 0x40000);
    expect_together(&wire, 0x100000, 0x40000, 0);
    CHECK(wire.rig->board.clock - before < 20 * MS * 1000);
    frames_range(&wire, WRY_KIND_DIGEST, ALL, 0x120000, 0x10000);
    frames_range(&wire, WRY_KIND_DIGEST, ALL | WRY_FLAG_AFTER, 0x108000, 0x10000);
    expect_together(&wire, 0x120000, 0x10000, 0);
    expect_together(&wire, 0x108000, 0x10000, 0);
    frames_range(&wire, WRY_KIND_DIGEST, ALL | 0x20, 0x100000, 0x100000);
    expect_together(&wire, 0x100000, 0x100000, 2);
    frames_range(&wire, WRY_KIND_DIGEST, ALL, 0, 65 * WRY_SECTOR_SIZE);
    frames_expect_error(&wire, WRY_ERROR_BAD_RANGE);
    /* Without sectors there is nothing to put together. */
    frames_range(&wire, WRY_KIND_DIGEST, WRY_FLAG_TOGETHER, 0x100100, 0x8000);
    expect_digest(&wire, 0x100100, 0x8000);
    frames_finish(&wire);
}

/* An older board does not select them so: the host asks by a feature. */
static void sectors_at_odd_distances(void)
{
    enum { ODD = WRY_FLAG_SECTORS | WRY_FLAG_ODD | 0x20, STRIDE = 7 * WRY_SECTOR_SIZE, COUNT = 90 };
    struct wry_digest_reply reply = {0};
    uint8_t sector[WRY_SHA256_SIZE];
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 7});
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_DIGEST, ODD, 0x103000, (COUNT - 1) * STRIDE + WRY_SECTOR_SIZE);
    CHECK(frames_hear_kind(&wire, WRY_KIND_DIGEST | WRY_KIND_REPLY, 1000 * MS));
    CHECK(wry_message_get_digest_reply(&wire.last, &reply));
    CHECK_EQUAL(COUNT * WRY_SECTOR_DIGEST_SIZE, reply.digest_length);
    for (uint32_t i = 0; i < COUNT; i++) {
        digest_of(wire.rig->flash + 0x103000 + i * STRIDE, WRY_SECTOR_SIZE, sector);
        CHECK(memcmp(sector, reply.digest + (size_t)i * WRY_SECTOR_DIGEST_SIZE,
                     WRY_SECTOR_DIGEST_SIZE) == 0);
    }
    frames_finish(&wire);
}

static void a_bad_range_is_refused_before_it_waits(void)
{
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 1});
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_DIGEST, 0, 0, 0x10000);
    frames_range(&wire, WRY_KIND_DIGEST, WRY_FLAG_AFTER, 0x3FF000, 0x2000);
    frames_expect_error(&wire, WRY_ERROR_BAD_RANGE);
    expect_digest(&wire, 0, 0x10000);
    frames_finish(&wire);
}

/* The digest is there soon after the last erase: the rest was hashed while the flash erased. */
static void an_erase_is_hashed_while_it_goes_on(void)
{
    struct frames wire;

    frames_begin(&wire, &(struct rig_setup){.seed = 3});
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_ERASE, 0, 0x100000, MIB);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    frames_range(&wire, WRY_KIND_DIGEST, 0, 0x100000, MIB);
    while (wire.rig->board.loader.write.state == WRY_JOB_RUNNING)
        sim_adapter_advance(&wire.rig->adapter, wire.rig->adapter.now + 10000, false);
    uint64_t ended = wire.rig->adapter.now;
    expect_digest(&wire, 0x100000, MIB);
    CHECK(wire.rig->adapter.now - ended < 60 * MS * 1000);
    CHECK(wry_bytes_blank(wire.rig->flash + 0x100000, MIB));
    CHECK(memcmp(wire.rig->flash, wire.rig->before, 0x100000) == 0);
    CHECK(memcmp(wire.rig->flash + 0x200000, wire.rig->before + 0x200000, 0x200000) == 0);
    frames_finish(&wire);
}

static enum wry_status erase(struct rig *rig, uint32_t offset, uint32_t length)
{
    struct wry_placement item = {.offset = offset, .length = length, .reader = wry_reader_blank()};
    struct wry_plan plan;
    struct wry_fault fault;

    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    return wry_session_write(&rig->session, &plan);
}

static void a_cell_that_does_not_erase_is_named(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 4});

    rig->flash[0x42345] = 0;
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    rig->board.die.stuck_at = 0x42345;
    CHECK_EQUAL(WRY_FLASH_FAILED, erase(rig, 0x40000, 0x80000));
    CHECK_EQUAL(0x42300, wry_session_fault(&rig->session)->offset);
    rig->board.die.stuck_at = 0;
    CHECK_EQUAL(WRY_OK, erase(rig, 0x40000, 0x80000));
    CHECK(wry_bytes_blank(rig->flash + 0x40000, 0x80000));
    rig_free(rig);
}

static void an_erase_goes_on_where_the_power_or_the_cable_was_cut(void)
{
    for (uint64_t n = 0; n < 24; n++) {
        bool power = n % 2 == 0;
        struct rig_setup setup = {.seed = n};
        if (!power)
            setup.faults.cable_cut = 1200 + n * 20;
        struct rig *rig = rig_new(&setup);
        rig_mend_by(rig, power ? rig_switch_on_again : rig_put_cable_back);
        check_context("%s %u", power ? "power" : "cable", (unsigned)n);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        if (power)
            rig->board.die.cut_at_operation = rig->board.die.operations + 1 + n / 2;
        CHECK_EQUAL(WRY_OK, erase(rig, 0x83000, 0xA5000));
        CHECK(wry_bytes_blank(rig->flash + 0x83000, 0xA5000));
        CHECK(memcmp(rig->flash, rig->before, 0x83000) == 0);
        CHECK(memcmp(rig->flash + 0x128000, rig->before + 0x128000, 0x400000 - 0x128000) == 0);
        if (power)
            CHECK(wry_session_stats(&rig->session)->reconnects > 0);
        rig_free(rig);
    }
}

/* Single sectors far apart, at the ends of pieces and beside them, at every way of asking. */
static void what_differs_is_found_at_any_speed(void)
{
    static const uint32_t speeds[] = {115200, 230400, 460800, 921600, 2000000};
    static const uint64_t latencies[] = {0, 60, 200}; /* ms */
    static const uint32_t sectors[] = {0, 20, 21, 63, 64, 85, 254, 255, 256, 257, 300, 511, 512};
    enum { COUNT = sizeof sectors / sizeof sectors[0], START = 0x3000, LENGTH = 513 * 4096 };

    for (unsigned i = 0; i < 5 * 3 * 2; i++) {
        struct rig_setup setup = {.seed = i, .max_speed = speeds[i % 5]};
        struct rig *rig = rig_new(&setup);
        struct wry_placement item = {
            .offset = START, .length = LENGTH, .reader = rig_reader(rig->before + START)};
        struct wry_plan plan;
        struct wry_fault fault;
        check_context("%u baud, %u ms, %s", (unsigned)speeds[i % 5], (unsigned)latencies[i / 5 % 3],
                      i < 15 ? "new" : "older");
        rig->adapter.inbox.latency = latencies[i / 5 % 3] * 1000000;
        CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        if (i >= 15)
            rig->session.board.features &= (uint16_t)~WRY_FEATURE_AFTER;
        for (unsigned n = 0; n < COUNT; n++)
            rig->flash[START + sectors[n] * 4096 + n] ^= 4;
        CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
        CHECK(rig_holds(rig, NULL, 0));
        const struct wry_session_stats *stats = wry_session_stats(&rig->session);
        CHECK_EQUAL(513, stats->sectors_written + stats->sectors_left);
        CHECK(stats->sectors_written >= COUNT && stats->sectors_written <= COUNT + 2 * COUNT);
        CHECK_EQUAL(rig->write.total, rig->write.done);
        rig_free(rig);
    }
}

/* Content with blank runs of every length, for flash that is blank but for a few sectors; some of
 * those are where it should be blank, and one sector is right already. */
static void blank_flash_is_filled_at_any_speed(void)
{
    static const uint32_t speeds[] = {115200, 460800, 2000000};
    static const uint32_t runs[] = {0, 1, 2, 3, 15, 16, 17, 40, 64, 65, 130, 300};
    enum { RUNS = sizeof runs / sizeof runs[0], START = 0x5000, SECTORS = 700 };
    static uint8_t content[SECTORS * WRY_SECTOR_SIZE];

    for (unsigned i = 0; i < 3 * 4; i++) {
        struct rig *rig =
            rig_new(&(struct rig_setup){.seed = i, .blank = true, .max_speed = speeds[i % 3]});
        struct wry_placement item = {
            .offset = START, .length = sizeof content, .reader = rig_reader(content)};
        struct wry_plan plan;
        struct wry_fault fault;
        check_context("%u baud, kind %u", (unsigned)speeds[i % 3], i / 3);
        memset(content, 0xFF, sizeof content);
        for (uint32_t n = 0, at = 1; n < RUNS && at < SECTORS; at += runs[n++] + 1)
            rig_random(content + at * WRY_SECTOR_SIZE + n, 2000, i + n);
        if (i / 3 % 2) {
            memset(rig->flash + START + 250 * WRY_SECTOR_SIZE, 0, 10); /* in a long run */
            memset(rig->flash + START + 20 * WRY_SECTOR_SIZE, 0, 10);
            memcpy(rig->flash + START, content, 2 * WRY_SECTOR_SIZE);
        }
        CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        if (i / 6)
            rig->session.board.features &= (uint16_t)~WRY_FEATURE_TOGETHER;
        CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
        CHECK(rig_holds(rig, &item, 1));
        const struct wry_session_stats *stats = wry_session_stats(&rig->session);
        CHECK_EQUAL(SECTORS, stats->sectors_written + stats->sectors_left);
        CHECK(stats->sectors_left >= 300 + 130 && stats->sectors_written < 120);
        CHECK_EQUAL(rig->write.total, rig->write.done);
        rig_free(rig);
    }
}

/* What is blank is only read, and the answers are short, which noise hardly hits. Nor is all of it
 * hashed once more because a few sectors were not blank. */
static void an_erase_of_blank_flash_takes_the_reading(void)
{
    for (unsigned i = 0; i < 2 * 2 * 4; i++) {
        bool noise = i % 4 > 0, used = i / 8, slow = i / 4 % 2 == 0;
        struct rig *rig = rig_new(&(struct rig_setup){.seed = i,
                                                      .blank = true,
                                                      .max_speed = slow ? 115200 : 921600,
                                                      .faults = {.noise_ppb = noise ? 10000 : 0}});
        for (uint32_t n = 0; used && n < 3; n++)
            memset(rig->flash + 0x51000 + n * 0x101000, 0x55, 100);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        uint64_t received = wry_session_stats(&rig->session)->bytes_received;
        uint64_t began = rig->board.clock;
        CHECK_EQUAL(WRY_OK, erase(rig, 0, 4 * MIB));
        CHECK(wry_bytes_blank(rig->flash, 4 * MIB));
        CHECK_EQUAL(1024 - (used ? 3 : 0), wry_session_stats(&rig->session)->sectors_left);
        uint64_t reading = 4ull * MIB * 8 * 1000 / 40; /* ns: over one line at 40 MHz */
        check_context("case %u: %u ms", i, (unsigned)((rig->board.clock - began) / 1000000));
        CHECK(rig->board.clock - began > reading);
        CHECK(rig->board.clock - began < reading * (!used ? 2 : slow ? 5 : 3));
        CHECK(noise || used || wry_session_stats(&rig->session)->bytes_received - received < 2000);
        rig_free(rig);
    }
}

/* On a slow line, sectors are asked about together as far as they are as they should be. */
static void content_that_is_there_takes_few_questions(void)
{
    enum { START = 0x3000, LENGTH = 513 * 4096 };
    struct rig_setup setup = {.seed = 3, .max_speed = 115200};
    struct rig *rig = rig_new(&setup);
    struct wry_placement item = {
        .offset = START, .length = LENGTH, .reader = rig_reader(rig->before + START)};
    struct wry_plan plan;
    struct wry_fault fault;

    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    uint64_t sent = wry_session_stats(&rig->session)->bytes_sent, began = rig->board.clock;
    CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
    CHECK_EQUAL(513, wry_session_stats(&rig->session)->sectors_left);
    sent = wry_session_stats(&rig->session)->bytes_sent - sent;
    check_context("%u bytes", (unsigned)sent);
    CHECK(sent < 513 * 2);
    /* And all of it is hashed, which takes the board's processor its time. */
    uint64_t hashing = LENGTH * sim_board_cycles(WRY_WORK_DIGEST) * 1000 / 160; /* ns at 160 MHz */
    CHECK(rig->board.clock - began >= hashing && rig->board.clock - began < hashing * 2);
    CHECK_EQUAL(rig->write.total, rig->write.done);
    CHECK_EQUAL(LENGTH, rig->write.total);
    check_context(NULL);
    rig_free(rig);
}

/* An answer that is lost in the middle costs a question, and nothing is taken for another. */
static void noise_while_looking_changes_nothing(void)
{
    for (uint64_t seed = 0; seed < 12; seed++) {
        struct rig *rig = rig_new(&(struct rig_setup){
            .seed = seed, .max_speed = seed % 3 ? 921600 : 115200, .faults = {.noise_ppb = 40000}});
        struct wry_placement item = {.length = 2 * MIB, .reader = rig_reader(rig->before)};
        struct wry_plan plan;
        struct wry_fault fault;
        check_context("seed %u", (unsigned)seed);
        CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        rig->flash[0x12345 + seed * 0x10000] ^= 1;
        CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
        CHECK(rig_holds(rig, NULL, 0));
        CHECK_EQUAL(1, wry_session_stats(&rig->session)->sectors_written);
        rig_free(rig);
    }
}

/* Digests of several ranges: right with noise and from older boards, and sooner than one by one. */
static void several_digests_take_half_the_time(void)
{
    enum { COUNT = 5, LATENCY = 100 };
    static const struct wry_range_message ranges[COUNT] = {
        {0x1000, 0x123}, {0x3FFFFF, 1}, {0x20000, 0x4000}, {0x20000, 0x4000}, {0x777, 0x2000}};

    for (unsigned seed = 0; seed < 3 * 6; seed++) {
        bool older = seed % 3 == 1, noise = seed % 3 == 2;
        struct rig *rig = rig_new(&(struct rig_setup){
            .seed = seed, .faults = {.noise_ppb = noise ? 300000 : 0, .latency_ms = LATENCY}});
        uint8_t ours[WRY_SHA256_SIZE], theirs[COUNT][WRY_SHA256_SIZE];
        check_context("seed %u", seed);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        if (older)
            rig->session.board.features &= (uint16_t)~WRY_FEATURE_AFTER;
        uint64_t began = rig->board.clock;
        CHECK_EQUAL(WRY_OK, wry_session_digests(&rig->session, ranges, COUNT, theirs));
        uint64_t most = older ? COUNT : COUNT / 2 + 1;
        CHECK(noise || rig->board.clock - began < (most * LATENCY + 60) * MS * 1000);
        for (unsigned i = 0; i < COUNT; i++) {
            digest_of(rig->flash + ranges[i].offset, ranges[i].length, ours);
            CHECK(memcmp(ours, theirs[i], sizeof ours) == 0);
        }
        rig_free(rig);
    }
}

/* Neighbouring content and samples are asked for together, whatever is lost. */
static void a_small_write_at_an_odd_offset_takes_few_round_trips(void)
{
    enum { LENGTH = 42000, LATENCY = 100 };
    static uint8_t content[LENGTH];

    for (unsigned seed = 0; seed < 24; seed++) {
        bool noise = seed % 2, two = seed / 2 % 2;
        struct rig *rig = rig_new(&(struct rig_setup){
            .seed = seed, .faults = {.noise_ppb = noise ? 300000 : 0, .latency_ms = LATENCY}});
        struct wry_placement item = {
            .offset = 0x20000 + (two ? 0x123 : 0), .length = LENGTH, .reader = rig_reader(content)};
        struct wry_plan plan;
        struct wry_fault fault;
        check_context("seed %u", seed);
        rig_random(content, sizeof content, seed + 100);
        CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        uint64_t began = rig->board.clock;
        CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
        CHECK(rig_holds(rig, &item, 1));
        /* The neighbouring content, with the samples; the erase; the digest in the end. */
        uint64_t most = (two ? 4 : 3) * LATENCY + 260; /* ms, 260 of them of the flash */
        check_context("seed %u: %u ms", seed, (unsigned)((rig->board.clock - began) / 1000000));
        CHECK(noise || rig->board.clock - began < most * MS * 1000);
        rig_free(rig);
    }
}

static void hear_stream_length(struct frames *wire, uint32_t offset, uint32_t length, bool blank)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    struct wry_read_message read = {.range = {.offset = offset, .length = length}, .packed = true};
    uint32_t stream = 1;

    frames_say(wire, head, wry_message_put_read(head, ++wire->seq, &read), NULL, 0);
    CHECK(frames_hear_kind(wire, WRY_KIND_READ | WRY_KIND_REPLY, 1000 * MS));
    CHECK(wry_message_get_read_end(&wire->last, &stream));
    CHECK_EQUAL(blank, stream == 0);
}

/* What a digest saw to be blank is believed as long as nothing changes it. */
static void what_was_blank_is_looked_at_again_once_it_changed(void)
{
    struct frames wire;
    uint8_t page[WRY_PAGE_SIZE];

    frames_begin(&wire, &(struct rig_setup){.seed = 5, .blank = true});
    rig_random(page, sizeof page, 5);
    memcpy(wire.rig->flash + 0x2FF00, page, sizeof page);
    frames_hello(&wire, 1);
    frames_range(&wire, WRY_KIND_DIGEST, 0, 0x10200, 0x3F000);
    expect_digest(&wire, 0x10200, 0x3F000);
    uint64_t begun = wire.rig->adapter.now;
    hear_stream_length(&wire, 0x11000, 0x8000, true);
    /* It did not take the time that reading does. */
    CHECK(wire.rig->adapter.now - begun < 8 * MS * 1000);
    hear_stream_length(&wire, 0x28000, 0x8000, false);
    frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_PROGRAM, 0x14000, 0x1000);
    CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
    for (uint32_t at = 0; at < 0x1000; at += sizeof page)
        frames_data(&wire, 0x14000 + at, page, sizeof page);
    while (wire.rig->board.loader.write.state == WRY_JOB_RUNNING)
        sim_adapter_advance(&wire.rig->adapter, wire.rig->adapter.now + 10000, false);
    CHECK(memcmp(wire.rig->flash + 0x14000, page, sizeof page) == 0);
    hear_stream_length(&wire, 0x11000, 0x8000, false);
    hear_stream_length(&wire, 0x11000, 0x3000, true);
    frames_finish(&wire);
}

/* A page that a read hands to the digest in mid-sector, with blank ones before and behind it. */
static void a_sector_with_any_content_is_never_taken_for_blank(void)
{
    for (uint32_t page = 1; page < 64; page++) {
        uint8_t head[WRY_MESSAGE_HEAD_MAX];
        struct wry_read_message read = {.range = {.offset = 0x10000 + page * 256, .length = 256},
                                        .packed = true};
        struct frames wire;
        uint32_t at = 0x10000 + page * 256;
        frames_begin(&wire, &(struct rig_setup){.seed = page, .blank = true});
        struct wry_loader *loader = &wire.rig->board.loader;
        rig_random(wire.rig->flash + at, 256, page);
        frames_hello(&wire, 1);
        frames_range(&wire, WRY_KIND_DIGEST, 0, 0x10000, 0x8000);
        frames_say(&wire, head, wry_message_put_read(head, ++wire.seq, &read), NULL, 0);
        while (loader->digest.state != WRY_JOB_DONE || loader->read_count > 0)
            sim_adapter_advance(&wire.rig->adapter, wire.rig->adapter.now + 10000, false);
        CHECK(frames_hear_kind(&wire, WRY_KIND_READ | WRY_KIND_REPLY, 100 * MS));
        check_context("page %u", (unsigned)page);
        CHECK(!(loader->digest.blank[0] & 1u << page / 16));
        hear_stream_length(&wire, 0x10000 + page / 16 * 0x1000, 0x1000, false);
        frames_finish(&wire);
    }
}

/* A writer: what comes must be what the flash holds. */
static bool compare(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    const struct rig *rig = context;

    return memcmp(rig->flash + offset, bytes, n) == 0;
}

/* Content of whole pages and of less, with blank stretches of any length between them. */
static void scatter(struct rig *rig, uint64_t random)
{
    uint32_t at = 0;

    for (;;) {
        bool pages = sim_random(&random) % 2 == 0;
        uint32_t n = 1 + (uint32_t)(sim_random(&random) % (pages ? 12 : 3000));
        at += (uint32_t)(sim_random(&random) % 24) * (pages ? 256 : 600);
        at = pages ? at / 256 * 256 : at;
        n = pages ? n * 256 : n;
        if (at + n > rig->flash_size)
            return;
        rig_mixed(rig->flash + at, n, random);
        at += n;
    }
}

/* The digest is taken while reading goes on, and takes and gives what is blank. */
static void backups_of_any_content_are_right_and_hashed_right(void)
{
    static const uint32_t speeds[] = {115200, 460800, 921600, 2000000};

    for (uint64_t seed = 0; seed < 60; seed++) {
        struct rig *rig = rig_new(&(struct rig_setup){
            .seed = seed,
            .blank = true,
            .flash_size = 0x80000,
            .chip_code = seed % 3 ? WRY_CHIP_TURNSTONE_T2 : WRY_CHIP_SANDERLING_S1,
            .max_speed = speeds[seed % 4],
            .plain_reads = seed % 5 == 0});
        uint64_t random = seed;
        uint8_t ours[WRY_SHA256_SIZE], theirs[WRY_SHA256_SIZE];
        struct wry_writer writer = {.context = rig, .write = compare};
        scatter(rig, seed);
        uint32_t offset = (uint32_t)(sim_random(&random) % 3 * 0x7F);
        uint32_t length = rig->flash_size - offset - (uint32_t)(sim_random(&random) % 1000);
        check_context("seed %u", (unsigned)seed);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(WRY_OK, wry_session_back_up(&rig->session, offset, length, &writer, theirs));
        digest_of(rig->flash + offset, length, ours);
        CHECK(memcmp(ours, theirs, sizeof ours) == 0);
        rig_free(rig);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_digest_that_comes_after_another_waits_for_it),
        FACT(a_digest_of_digests_is_of_whole_ones),
        FACT(sectors_at_odd_distances),
        FACT(a_bad_range_is_refused_before_it_waits),
        FACT(an_erase_is_hashed_while_it_goes_on),
        FACT(a_cell_that_does_not_erase_is_named),
        FACT(an_erase_goes_on_where_the_power_or_the_cable_was_cut),
        FACT(what_differs_is_found_at_any_speed),
        FACT(blank_flash_is_filled_at_any_speed),
        FACT(an_erase_of_blank_flash_takes_the_reading),
        FACT(content_that_is_there_takes_few_questions),
        FACT(noise_while_looking_changes_nothing),
        FACT(several_digests_take_half_the_time),
        FACT(a_small_write_at_an_odd_offset_takes_few_round_trips),
        FACT(what_was_blank_is_looked_at_again_once_it_changed),
        FACT(a_sector_with_any_content_is_never_taken_for_blank),
        FACT(backups_of_any_content_are_right_and_hashed_right),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
