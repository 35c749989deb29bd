/* Every coding by itself, on every board: right on clean and noisy lines, after cuts, and when the
 * old content is not what it was taken for. */
#include <stdlib.h>
#include <string.h>

#include "demo/program_like.h"
#include "forced_packer.h"
#include "frames.h"
#include "harness.h"
#include "known.h"
#include "pack/content_packer.h"
#include "rig.h"
#include "upgrade_bench.h"
#include "wrytograph/lzma.h"

enum {
    LENGTH = 0x48000,
    OFFSET = 0x43000,
};

static uint8_t content[LENGTH];

static const uint16_t chips[] = {WRY_CHIP_SANDERLING_S1, WRY_CHIP_TURNSTONE_T2, WRY_CHIP_DUNLIN_D3};

static const struct way {
    uint8_t coding;
    bool down;
} ways[] = {
    {WRY_CODING_DEFLATE, false},  {WRY_CODING_DIFFERENCE, false},
    {WRY_CODING_LZMA, false},     {WRY_CODING_LZMA_DIFFERENCE, false},
    {WRY_CODING_LZMA_OLD, false}, {WRY_CODING_LZMA_OLD, true},
};

enum {
    WAYS = sizeof ways / sizeof ways[0],
};

struct bench {
    struct upgrade_bench on;
    struct forced_packer forced;
};

/* A board with the version before, all of which is known; the next is packed one way. A board that
 * knows only difference streams is asked for them. */
static void begin(struct bench *bench, const struct rig_setup *setup, const struct way *way)
{
    fill_like_program(content, LENGTH, setup->seed % 3, 1 + setup->seed / 3 % 2);
    upgrade_bench_begin(&bench->on, setup, OFFSET, LENGTH, content);
    forced_packer_init(&bench->forced, pack_packer(bench->on.pack), way->coding, way->down);
    bench->on.rig->config.packer = &bench->forced.packer;
    bench->on.rig->config.every_sector = true;
    rig_new_session(bench->on.rig, 7);
}

/* With every sector written, nothing of the board is recognised by digests: all is known. */
static const struct wry_session_stats *write_and_check(struct bench *bench, const struct way *way)
{
    struct wry_session *session = &bench->on.rig->session;

    for (uint32_t i = 0; i < bench->on.rig->flash_size / WRY_SECTOR_SIZE; i++)
        bench->on.known.recognised[i] = bench->on.known.has[i];
    bench->on.known.recognitions = 1;
    CHECK_EQUAL(WRY_OK, wry_session_connect(session));
    if (way->coding <= WRY_CODING_DIFFERENCE)
        session->board.features &= (uint16_t)~WRY_FEATURE_LZMA;
    CHECK_EQUAL(WRY_OK, wry_session_write(session, &bench->on.plan));
    CHECK(rig_holds(bench->on.rig, &bench->on.item, 1));
    return wry_session_stats(session);
}

static void every_board_takes_every_coding(void)
{
    static const uint32_t speeds[] = {115200, 460800, 9600, 921600};

    for (size_t i = 0; i < WAYS * 12; i += check_one_in(2)) {
        const struct way *way = &ways[i % WAYS];
        struct bench bench;
        begin(&bench,
              &(struct rig_setup){.seed = i / WAYS,
                                  .chip_code = chips[i % 3],
                                  .max_speed = speeds[i / WAYS % 4],
                                  .faults = {.noise_ppb = (uint32_t)(i / 18 % 3) * 20000}},
              way);
        const struct wry_session_stats *stats = write_and_check(&bench, way);
        bool with_old = wry_coding_needs_old(way->coding);
        check_context("coding %u, down %u, case %zu: %u bytes", way->coding, way->down, i,
                      (unsigned)stats->content_sent);
        CHECK(bench.forced.begun > 0);
        CHECK_EQUAL(0, stats->guesses_wrong);
        CHECK_EQUAL(with_old, stats->differences == 1);
        CHECK(stats->content_sent < LENGTH * (with_old ? 30 : 50) / 100);
        upgrade_bench_end(&bench.on);
    }
}

static void a_cut_is_made_good_in_every_coding(void)
{
    for (uint64_t at = 1; at < 1150; at += check_one_in(3) * 13) {
        const struct way *way = &ways[at / 13 % WAYS];
        struct bench bench;
        begin(&bench,
              &(struct rig_setup){
                  .seed = at, .chip_code = chips[at / 78 % 3], .faults = {.power_cut = at}},
              way);
        rig_mend_by(bench.on.rig, rig_switch_on_again);
        const struct wry_session_stats *stats = write_and_check(&bench, way);
        check_context("coding %u, down %u, cut at operation %u", way->coding, way->down,
                      (unsigned)at);
        CHECK(stats->reconnects > 0);
        CHECK_EQUAL(0, stats->guesses_wrong);
        upgrade_bench_end(&bench.on);
    }
}

/* The line is cut and put together again: the board goes on with its job. */
static void a_pulled_cable_is_made_good_in_every_coding(void)
{
    for (uint64_t at = 3000; at < 90000; at += check_one_in(3) * 1777) {
        const struct way *way = &ways[at / 1777 % WAYS];
        struct bench bench;
        begin(&bench, &(struct rig_setup){.seed = at, .faults = {.cable_cut = at}}, way);
        rig_mend_by(bench.on.rig, rig_put_cable_back);
        write_and_check(&bench, way);
        upgrade_bench_end(&bench.on);
    }
}

static void wrong_old_content_is_noticed_in_every_coding(void)
{
    unsigned noticed = 0;

    for (uint32_t at = 0x123; at < LENGTH; at += check_one_in(3) * 0x1E5A) {
        const struct way *way = &ways[1 + at / 0x1E5A % (WAYS - 1)];
        struct bench bench;
        begin(&bench, &(struct rig_setup){.seed = at, .chip_code = chips[at % 3]}, way);
        bench.on.rig->flash[OFFSET + at] ^= 0x10;
        const struct wry_session_stats *stats = write_and_check(&bench, way);
        check_context("coding %u, wrong at %u", way->coding, (unsigned)at);
        CHECK(stats->guesses_wrong <= 1);
        noticed += stats->guesses_wrong;
        upgrade_bench_end(&bench.on);
    }
    CHECK(noticed * check_one_in(3) > 12);
}

/* Programs of an instruction set are sent with its filter, and come out as they are. */
static void content_is_filtered_where_that_gains(void)
{
    static const struct way lzma = {WRY_CODING_LZMA, false};

    for (uint8_t kind = WRY_FILTER_RISCV; kind <= WRY_FILTER_ARM64; kind++) {
        struct bench bench;
        struct wry_branch_filter restore = {.kind = kind, .restores = true, .at = OFFSET};
        begin(&bench, &(struct rig_setup){.seed = kind, .chip_code = chips[kind % 3]}, &lzma);
        for (uint32_t at = 0; at + 4 <= LENGTH; at += 4) {
            /* Calls of sixteen functions, each between other instructions. */
            static const uint32_t calls[] = {0, 0x00000EF, 0xF800F040, 0xEB010000, 0x94010000};
            uint32_t word = (uint32_t)at * 2654435761u >> 20;
            if (at % 16 == 0)
                word = calls[kind] + (kind == 1   ? (word % 16) << 24
                                      : kind == 2 ? (word % 16) << 16
                                                  : word % 16);
            memcpy(content + at, &word, 4);
        }
        wry_branch_filter_run(&restore, content, LENGTH);
        const struct wry_session_stats *stats = write_and_check(&bench, &lzma);
        check_context("filter %u: %u bytes", kind, (unsigned)stats->content_sent);
        CHECK_EQUAL(kind, bench.forced.filter);
        upgrade_bench_end(&bench.on);
    }
}

static void say_old_job(struct frames *wire, const struct wry_erase_message *erase, uint8_t flags)
{
    uint8_t head[WRY_MESSAGE_HEAD_MAX];
    size_t n =
        wry_message_put_erase(head, flags | WRY_FLAG_PROGRAM | WRY_FLAG_STREAM, ++wire->seq, erase);

    frames_say(wire, head, n, NULL, 0);
}

static void requests_that_no_board_can_follow_are_refused(void)
{
    const struct wry_erase_message good = {.range = {.offset = 0x20000, .length = 0x4000},
                                           .coding = WRY_CODING_LZMA_OLD,
                                           .window = 4096,
                                           .parameters = WRY_LZMA_USUAL,
                                           .old_length = 0x3000};

    for (unsigned i = 0; i < 9; i++) {
        struct wry_erase_message erase = good;
        struct frames wire;
        uint8_t flags = WRY_FLAG_DOWN;
        frames_begin(&wire, &(struct rig_setup){.seed = i});
        frames_hello(&wire, 1);
        switch (i) {
        case 1:
            erase.old_length = 0;
            break;
        case 2:
            erase.old_length = 0x3001;
            break;
        case 3: /* beyond the flash */
            erase.old_length = 0x400000 - 0x20000 + 0x1000;
            break;
        case 4: /* lc 3 */
            erase.parameters = 93;
            break;
        case 5:
            erase.filter = WRY_FILTER_ARM;
            break;
        case 6: /* only one coding goes from the end down */
            erase.coding = WRY_CODING_LZMA;
            break;
        case 7:
            erase.coding = 6;
            break;
        case 8:
            flags = 0;
            erase.coding = WRY_CODING_LZMA;
            erase.filter = 5;
            break;
        default:
            break;
        }
        check_context("request %u", i);
        say_old_job(&wire, &erase, flags);
        if (i == 0)
            CHECK(frames_hear_kind(&wire, WRY_KIND_ERASE | WRY_KIND_REPLY, 100 * MS));
        else
            frames_expect_error(&wire, WRY_ERROR_UNSUPPORTED);
        frames_finish(&wire);
    }
}

/* Pages have an order of their own, and an erase has none. */
static void only_streams_go_from_the_end_down(void)
{
    for (uint8_t flags = 0; flags <= WRY_FLAG_PROGRAM; flags++) {
        struct frames wire;
        frames_begin(&wire, &(struct rig_setup){.seed = 1});
        frames_hello(&wire, 1);
        frames_range(&wire, WRY_KIND_ERASE, WRY_FLAG_DOWN | flags, 0x20000, 0x4000);
        frames_expect_error(&wire, WRY_ERROR_UNSUPPORTED);
        CHECK(memcmp(wire.rig->before, wire.rig->flash, wire.rig->flash_size) == 0);
        frames_finish(&wire);
    }
}

/* A packer that takes a second for each piece of the content that it reads. */
struct slow_packer {
    struct wry_packer packer;
    const struct wry_packer *honest;
    const struct wry_port *port;
    struct wry_reader content;
};

static bool read_slowly(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    const struct slow_packer *slow = context;

    if (offset % 0x8000 == 0)
        slow->port->sleep(slow->port->context, slow->port->now(slow->port->context) + 1000 * MS);
    return slow->content.read(slow->content.context, offset, to, n);
}

static bool measure_slowly(void *context, const struct wry_packing *packing, bool exact,
                           uint32_t piece, uint32_t *ends, uint32_t count)
{
    struct slow_packer *slow = context;
    struct wry_packing other = *packing;

    slow->content = packing->content;
    other.content = (struct wry_reader){.context = slow, .read = read_slowly};
    return slow->honest->measure(slow->honest->context, &other, exact, piece, ends, count);
}

static bool begin_slow(void *context, const struct wry_packing *packing,
                       struct wry_stream_form *form)
{
    const struct slow_packer *slow = context;

    return slow->honest->begin(slow->honest->context, packing, form);
}

static bool give_slow(void *context, uint8_t *to, size_t room, size_t *given)
{
    const struct slow_packer *slow = context;

    return slow->honest->give(slow->honest->context, to, room, given);
}

static void make_slow(struct slow_packer *slow, struct bench *bench)
{
    slow->honest = pack_packer(bench->on.pack);
    slow->packer = *slow->honest;
    slow->packer.context = slow;
    slow->packer.measure = measure_slowly;
    slow->packer.begin = begin_slow;
    slow->packer.prepare = NULL;
    slow->packer.give = give_slow;
    slow->port = &bench->on.rig->adapter.port;
    bench->on.rig->config.packer = &slow->packer;
    bench->on.rig->config.known = NULL;
    bench->on.rig->config.max_speed = 921600;
    rig_new_session(bench->on.rig, 8);
}

static void a_slow_computer_keeps_the_board_waiting_and_hears_a_stop(void)
{
    static const struct way lzma = {WRY_CODING_LZMA, false};

    for (unsigned stops = 0; stops < 2; stops++) {
        struct bench bench;
        struct slow_packer slow;
        begin(&bench, &(struct rig_setup){.seed = 1}, &lzma);
        make_slow(&slow, &bench);
        struct wry_session *session = &bench.on.rig->session;
        CHECK_EQUAL(WRY_OK, wry_session_connect(session));
        bench.on.rig->stop_after = stops ? bench.on.rig->reports + 4 : 0;
        uint64_t begun = bench.on.rig->adapter.now;
        CHECK_EQUAL(stops ? WRY_STOPPED : WRY_OK, wry_session_write(session, &bench.on.plan));
        uint64_t seconds = (bench.on.rig->adapter.now - begun) / 1000000000;
        check_context("stops %u: %u s", stops, (unsigned)seconds);
        CHECK(stops ? seconds < 5 : seconds > 8);
        CHECK_EQUAL(0, wry_session_stats(session)->reconnects);
        CHECK_EQUAL(921600, session->speed);
        if (stops)
            CHECK(memcmp(bench.on.rig->before, bench.on.rig->flash, bench.on.rig->flash_size) == 0);
        else
            CHECK(rig_holds(bench.on.rig, &bench.on.item, 1));
        upgrade_bench_end(&bench.on);
    }
}

/* A flash as large as the model has to reckon with takes no more of the computer than a small one.
 */
static void long_content_is_estimated_by_its_beginning(void)
{
    enum { LONG = 64 * 1024 * 1024, COUNT = 64 };
    uint8_t *bytes = calloc(1, LONG);
    struct known known;
    struct pack *pack = pack_new();
    const struct wry_packer *packer = pack_packer(pack);

    known_init(&known, LONG);
    for (size_t i = 0; i < LONG; i += 5)
        bytes[i] = (uint8_t)(i >> 12);
    known_add(&known, 0, bytes, LONG);
    for (uint32_t i = 0; i < LONG / WRY_SECTOR_SIZE; i++)
        known.recognised[i] = true;
    known.recognitions = 1;
    known.guesses = true;
    for (uint8_t coding = WRY_CODING_DEFLATE; coding <= WRY_CODING_LZMA_OLD; coding++) {
        uint32_t ends[COUNT];
        struct wry_packing packing = {.content = rig_reader(bytes),
                                      .length = LONG,
                                      .coding = coding,
                                      .window = UINT32_C(1) << 31, /* a board may say so */
                                      .filters = 0x1E,
                                      .old_block = 0x10000,
                                      .old_history = 0xFFFF00,
                                      .known = &known.known};
        bool can = packer->measure(packer->context, &packing, true, LONG / COUNT, ends, COUNT);
        check_context("coding %u", coding);
        CHECK_EQUAL(coding != WRY_CODING_LZMA_OLD, can);
        for (unsigned i = 1; can && i < COUNT; i++)
            CHECK(ends[i] >= ends[i - 1] && ends[i] < LONG / 10);
    }
    pack_free(pack);
    known_free(&known);
    free(bytes);
}

static uint32_t measure_upgrade(const struct known *known, const uint8_t *bytes, uint32_t length,
                                struct wry_packing packing, bool thorough, bool exact)
{
    struct pack *pack = pack_new();
    const struct wry_packer *packer = pack_packer(pack);
    uint32_t end = 0;

    packing.content = rig_reader(bytes);
    packing.length = length;
    packing.known = &known->known;
    packing.thorough = thorough;
    CHECK(packer->measure(packer->context, &packing, exact, length, &end, 1));
    pack_free(pack);
    return end;
}

/* What takes longer must be worth it. */
static void more_time_gives_shorter_streams_and_better_estimates(void)
{
    enum { SIZE = 300 * 1024 };
    static uint8_t flash[0x80000], bytes[SIZE];
    static const uint32_t histories[] = {0, 0x10000};

    fill_like_program_of(flash, SIZE, &(struct program_like){.seed = 4});
    fill_like_program_of(bytes, SIZE, &(struct program_like){.seed = 4, .compiler = 1});
    struct known known;
    known_init(&known, sizeof flash);
    known_add(&known, 0, flash, sizeof flash);
    known.guesses = true;
    known.recognitions = 1;
    for (int i = 0; i < 4; i++) {
        struct wry_packing packing = {.coding =
                                          i < 2 ? WRY_CODING_LZMA_DIFFERENCE : WRY_CODING_LZMA_OLD,
                                      .window = 0x8000,
                                      .old_block = 0x8000,
                                      .old_history = histories[i % 2]};
        uint32_t quick = measure_upgrade(&known, bytes, SIZE, packing, false, true);
        uint32_t least = measure_upgrade(&known, bytes, SIZE, packing, true, true);
        uint32_t expected = measure_upgrade(&known, bytes, SIZE, packing, true, false);
        check_context("coding %u, history %u", packing.coding, (unsigned)packing.old_history);
        CHECK(least <= quick);
        CHECK(packing.coding == WRY_CODING_LZMA_OLD || least < quick - quick / 50);
        CHECK(expected > least - least / 16 && expected < least + least / 16);
    }
    known_free(&known);
}

/* What an estimate says of each piece decides which waits for the other, the line or the flash. */
static void estimates_of_new_content_grow_evenly(void)
{
    enum { SIZE = 1024 * 1024, PIECE = 64 * 1024, COUNT = SIZE / PIECE };
    static uint8_t bytes[SIZE];

    fill_like_program_of(bytes, SIZE, &(struct program_like){.seed = 9});
    for (uint8_t coding = WRY_CODING_DEFLATE; coding <= WRY_CODING_LZMA; coding += 2) {
        struct wry_packing packing = {.content = rig_reader(bytes),
                                      .length = SIZE,
                                      .coding = coding,
                                      .window = 0x8000,
                                      .filters = 0x1E};
        uint32_t ends[2][COUNT];
        struct pack *pack = pack_new();
        const struct wry_packer *packer = pack_packer(pack);
        CHECK(packer->measure(packer->context, &packing, false, PIECE, ends[0], COUNT));
        CHECK(packer->measure(packer->context, &packing, true, PIECE, ends[1], COUNT));
        uint32_t expected = ends[0][COUNT - 1], is = ends[1][COUNT - 1];
        check_context("coding %u: %u expected, %u", coding, (unsigned)expected, (unsigned)is);
        CHECK(expected > is - is / 16 && expected < is + is / 16);
        uint32_t evenly = expected / COUNT;
        for (unsigned i = 0; i < COUNT; i++)
            CHECK(ends[0][i] + evenly / 10 * 6 > evenly * (i + 1) &&
                  ends[0][i] < evenly * (i + 1) + evenly / 10 * 6);
        pack_free(pack);
    }
}

/* Any bytes as a stream over old content. */
static void noise_over_old_content_changes_nothing_outside(void)
{
    unsigned failed = 0;

    for (uint64_t seed = 0; seed < 80; seed += check_one_in(2)) {
        struct wry_erase_message erase = {.range = {.offset = 0x20000, .length = 0x14000},
                                          .coding = (uint8_t)(3 + seed % 3),
                                          .window = 4096,
                                          .parameters = WRY_LZMA_USUAL,
                                          .old_length = 0x14000};
        struct frames wire;
        uint8_t bytes[2048];
        frames_begin(&wire, &(struct rig_setup){.seed = seed, .chip_code = chips[seed % 3]});
        frames_hello(&wire, 1);
        say_old_job(&wire, &erase, seed % 6 == 5 ? WRY_FLAG_DOWN : 0);
        rig_random(bytes, sizeof bytes, seed);
        bytes[0] = 0;
        struct wry_data_message data = {.length = sizeof bytes, .encoding = WRY_ENCODING_STREAM};
        uint8_t head[WRY_MESSAGE_HEAD_MAX];
        frames_say(&wire, head, wry_message_put_data(head, WRY_KIND_DATA, ++wire.seq, &data), bytes,
                   sizeof bytes);
        struct wry_progress_message progress = frames_ask_status(&wire);
        const struct wry_port *port = &wire.rig->adapter.port;
        for (int i = 0; i < 20 && progress.job == WRY_JOB_RUNNING; i++) {
            port->sleep(port->context, port->now(port->context) + 100 * MS);
            progress = frames_ask_status(&wire);
        }
        check_context("seed %u: job %u, error %u", (unsigned)seed, progress.job, progress.error);
        CHECK(progress.job == WRY_JOB_RUNNING || progress.error == WRY_ERROR_BAD_STREAM);
        failed += progress.job == WRY_JOB_FAILED;
        const struct rig *rig = wire.rig;
        CHECK(memcmp(rig->before, rig->flash, 0x20000) == 0);
        CHECK(memcmp(rig->before + 0x34000, rig->flash + 0x34000, rig->flash_size - 0x34000) == 0);
        frames_finish(&wire);
    }
    CHECK(failed > 10);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_board_takes_every_coding),
        FACT(a_cut_is_made_good_in_every_coding),
        FACT(a_pulled_cable_is_made_good_in_every_coding),
        FACT(wrong_old_content_is_noticed_in_every_coding),
        FACT(content_is_filtered_where_that_gains),
        FACT(requests_that_no_board_can_follow_are_refused),
        FACT(only_streams_go_from_the_end_down),
        FACT(a_slow_computer_keeps_the_board_waiting_and_hears_a_stop),
        FACT(long_content_is_estimated_by_its_beginning),
        FACT(more_time_gives_shorter_streams_and_better_estimates),
        FACT(estimates_of_new_content_grow_evenly),
        FACT(noise_over_old_content_changes_nothing_outside),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
