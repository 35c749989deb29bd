/* Sessions where something is wrong: ports, peers, readers, keepers, flash. */
#include <string.h>

#include "core/session/session_inner.h"
#include "harness.h"
#include "port_filter.h"
#include "rig.h"

static uint8_t content[0x40000];

static struct wry_placement place(uint32_t offset, uint32_t length)
{
    return (struct wry_placement){
        .offset = offset, .length = length, .reader = rig_reader(content)};
}

static enum wry_status write_one(struct rig *rig, struct wry_placement item)
{
    struct wry_plan plan;
    struct wry_fault fault;

    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    return wry_session_write(&rig->session, &plan);
}

static bool take(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    uint64_t *total = context;

    (void)offset;
    (void)bytes;
    *total += n;
    return true;
}

static bool refuse(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    (void)context;
    (void)bytes;
    (void)n;
    return offset < 0x3000;
}

/* A flash that became busy and stays so. */
static void a_peer_that_answers_and_never_advances_is_given_up(void)
{
    uint8_t digest[WRY_SHA256_SIZE];
    uint64_t total = 0;
    struct wry_writer writer = {.context = &total, .write = take};

    for (unsigned call = 0; call < 3; call++) {
        struct rig *rig = rig_new(&(struct rig_setup){.seed = 1, .max_speed = 921600});
        struct wry_placement item = place(0x40000, 0x10000);
        enum wry_status status = WRY_OK;
        check_context("call %u", call);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        rig->config.every_sector = true;
        rig->session.config.every_sector = true;
        rig->board.loader.op = WRY_OP_DROPPED;
        rig->board.die.pending_length = 256;
        rig->board.die.pending_program = true;
        memset(rig->board.die.pending_page, 0xFF, 256);
        rig->board.die.busy_until = UINT64_MAX;
        uint64_t begun = rig->adapter.now;
        if (call == 0)
            status = wry_session_digest(&rig->session, 0, 0x10000, digest);
        else if (call == 1)
            status = wry_session_read(&rig->session, 0, 0x10000, &writer);
        else
            status = write_one(rig, item);
        CHECK_EQUAL(WRY_STALLED, status);
        CHECK(rig->adapter.now - begun < UINT64_C(40000000000));
        rig_free(rig);
    }
    CHECK_EQUAL(0, total);
}

/* Asks to stop at the first report after a time, and notes how long the call then takes. */
struct stopper {
    struct rig *rig;
    uint64_t after, asked_at;
};

static bool stop_later(void *context, const struct wry_session_progress *progress)
{
    struct stopper *stopper = context;

    (void)progress;
    if (stopper->rig->adapter.now < stopper->after)
        return false;
    stopper->asked_at = stopper->asked_at ? stopper->asked_at : stopper->rig->adapter.now;
    return true;
}

static void every_wait_can_be_stopped(void)
{
    static const uint32_t speeds[] = {9600, 115200, 921600};
    uint8_t digest[WRY_SHA256_SIZE];
    uint64_t total = 0;
    struct wry_writer writer = {.context = &total, .write = take};

    for (unsigned call = 0; call < 12; call++) {
        struct rig *rig = rig_new(&(struct rig_setup){.seed = call, .max_speed = speeds[call % 3]});
        struct stopper stopper = {.rig = rig};
        enum wry_status status = wry_session_connect(&rig->session);
        check_context("call %u", call);
        CHECK_EQUAL(WRY_OK, status);
        rig->session.config.context = &stopper;
        rig->session.config.progress = stop_later;
        stopper.after = rig->adapter.now + UINT64_C(300000000);
        if (call / 3 == 0)
            status = wry_session_digest(&rig->session, 0, 0x400000, digest);
        else if (call / 3 == 1)
            status = wry_session_read(&rig->session, 0, 0x100000, &writer);
        else if (call / 3 == 2)
            status = write_one(rig, place(0x40123, sizeof content));
        else {
            sim_adapter_power(&rig->adapter, false); /* the link is being looked for */
            status = wry_session_read(&rig->session, 0, 0x100000, &writer);
        }
        CHECK_EQUAL(WRY_STOPPED, status);
        CHECK(stopper.asked_at < stopper.after + UINT64_C(200000000));
        CHECK(rig->adapter.now < stopper.asked_at + UINT64_C(600000000));
        wry_session_leave(&rig->session);
        CHECK(rig->adapter.now < stopper.asked_at + UINT64_C(900000000));
        rig_free(rig);
    }
}

static void a_stopped_session_goes_on_with_the_next_call(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 2});
    uint64_t total = 0;
    struct wry_writer writer = {.context = &total, .write = take};

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    rig->stop_after = rig->reports + 3;
    CHECK_EQUAL(WRY_STOPPED, wry_session_read(&rig->session, 0, 0x40000, &writer));
    /* Every call can be stopped anew. */
    uint8_t digest[WRY_SHA256_SIZE];
    rig->stop_after = rig->reports + 3;
    CHECK_EQUAL(WRY_STOPPED, wry_session_back_up(&rig->session, 0, 0x40000, &writer, digest));
    rig->stop_after = 0;
    total = 0;
    CHECK_EQUAL(WRY_OK, wry_session_read(&rig->session, 0x1000, 0x40000, &writer));
    CHECK_EQUAL(0x40000, total);
    CHECK_EQUAL(WRY_OK, write_one(rig, place(0x40000, 0x3000)));
    rig_free(rig);
}

static void a_writer_that_fails_is_named_and_the_board_answers_on(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 3});
    struct wry_writer writer = {.write = refuse};
    uint8_t digest[WRY_SHA256_SIZE];

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_SINK_FAILED, wry_session_read(&rig->session, 0, 0x10000, &writer));
    CHECK_EQUAL(0x3000, wry_session_fault(&rig->session)->offset);
    CHECK_EQUAL(WRY_OK, wry_session_digest(&rig->session, 0, 0x1000, digest));
    rig_free(rig);
}

static bool fail_to_read(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    (void)context;
    memcpy(to, content + offset, n);
    return offset < 0x3000;
}

static void a_reader_that_fails_while_comparing_is_named(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 4});
    struct wry_placement item = {
        .offset = 0x40000, .length = 0x8000, .reader = {.read = fail_to_read}};

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    for (int method = WRY_VERIFY_DIGEST; method <= WRY_VERIFY_READ_BACK; method++) {
        CHECK_EQUAL(WRY_SOURCE_FAILED,
                    wry_session_verify(&rig->session, &item, (enum wry_verify_method)method, NULL));
        CHECK_EQUAL(0x43000, wry_session_fault(&rig->session)->offset & ~0xFFFu);
    }
    rig_free(rig);
}

static void a_speed_below_the_slowest_is_the_caller_s_mistake(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 5, .max_speed = 4800});

    CHECK_EQUAL(WRY_BAD_ARGUMENT, wry_session_connect(&rig->session));
    CHECK_EQUAL(0, rig->adapter.to_board.sent);
    rig_free(rig);
}

static void work_before_connecting_is_the_caller_s_mistake(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 31});
    struct wry_placement item = {.length = WRY_SECTOR_SIZE, .reader = wry_reader_blank()};
    uint8_t digest[WRY_SHA256_SIZE];
    uint64_t sum;
    struct wry_plan plan;
    struct wry_fault fault;

    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    for (int round = 0; round < 2; round++) {
        struct wry_session *session = &rig->session;
        uint64_t begun = rig->adapter.now;
        CHECK_EQUAL(WRY_BAD_ARGUMENT, wry_session_write(session, &plan));
        CHECK_EQUAL(WRY_BAD_ARGUMENT, wry_session_digest(session, 0, 1, digest));
        CHECK_EQUAL(WRY_BAD_ARGUMENT, wry_session_sector_sums(session, 0, 1, &sum));
        CHECK_EQUAL(WRY_BAD_ARGUMENT, wry_session_verify(session, &item, WRY_VERIFY_DIGEST, NULL));
        CHECK_EQUAL(WRY_BAD_ARGUMENT, wry_session_start(session));
        CHECK_EQUAL(WRY_BAD_ARGUMENT, wry_session_fault(session)->status);
        wry_session_leave(session);
        CHECK_EQUAL(begun, rig->adapter.now);
        /* And so after start, in the second round. */
        CHECK_EQUAL(WRY_OK, wry_session_connect(session));
        CHECK_EQUAL(WRY_OK, wry_session_start(session));
    }
    rig_free(rig);
}

/* Content that is there already: looked at in one pass, or by an older board in two. */
static void check_hashed_once(uint16_t chip)
{
    uint64_t took[2];

    for (int older = 0; older < 2; older++) {
        struct rig *rig = rig_new(&(struct rig_setup){.seed = 32, .chip_code = chip});
        struct wry_placement item = {.length = 0x200000, .reader = rig_reader(rig->before)};
        struct wry_plan plan;
        struct wry_fault fault;
        CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        if (older)
            rig->session.board.features = 0;
        uint64_t begun = rig->adapter.now;
        CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
        CHECK_EQUAL(0x200, wry_session_stats(&rig->session)->sectors_left);
        CHECK_EQUAL(0, wry_session_stats(&rig->session)->sectors_written);
        took[older] = rig->adapter.now - begun;
        /* One byte other in the last sector is found either way. */
        rig->flash[0x1FFFFF] ^= 1;
        CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
        CHECK_EQUAL(1, wry_session_stats(&rig->session)->sectors_written);
        CHECK(rig_holds(rig, NULL, 0));
        rig_free(rig);
    }
    CHECK(took[0] * 10 < took[1] * 7);
}

static void what_is_right_already_is_hashed_once(void)
{
    check_hashed_once(WRY_CHIP_SANDERLING_S1);
    check_hashed_once(WRY_CHIP_TURNSTONE_T2);
}

/* It says nothing of the line: sectors beside wrong ones are proven by one look. */
static void what_a_board_prints_before_it_is_found_is_no_damage(void)
{
    enum { SPAN = 0x80000 };
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 33, .chip_code = WRY_CHIP_SANDERLING_S1});
    struct wry_placement item = {.length = SPAN, .reader = rig_reader(rig->before)};
    struct wry_plan plan;
    struct wry_fault fault;

    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    rig_random(rig->flash + SPAN / 4 * 3, SPAN / 4, 5);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK(wry_session_stats(&rig->session)->frames_bad > 0);
    uint64_t hashed = rig->board.hashed;
    CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
    CHECK_EQUAL(SPAN / 4 / WRY_SECTOR_SIZE, wry_session_stats(&rig->session)->sectors_written);
    CHECK(rig->board.hashed - hashed < SPAN / 4 * 7);
    rig_free(rig);
}

static void a_board_says_whether_it_hashes_by_an_accelerator(void)
{
    static const uint16_t chips[] = {WRY_CHIP_SANDERLING_S1, WRY_CHIP_TURNSTONE_T2,
                                     WRY_CHIP_DUNLIN_D3};

    for (size_t i = 0; i < 3; i++) {
        struct rig *rig = rig_new(&(struct rig_setup){.seed = i, .chip_code = chips[i]});
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        bool told = (rig->session.board.features & WRY_FEATURE_ACCELERATOR) != 0;
        CHECK_EQUAL(chips[i] == WRY_CHIP_DUNLIN_D3, told);
        rig_free(rig);
    }
}

static void ranges_beyond_the_flash_are_refused(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 6});
    uint64_t sums[2], total = 0;
    struct wry_writer writer = {.context = &total, .write = take};
    uint8_t digest[WRY_SHA256_SIZE];

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_BAD_RANGE, wry_session_read(&rig->session, 0x3FFFFF, 2, &writer));
    CHECK_EQUAL(WRY_BAD_RANGE, wry_session_read(&rig->session, 0, 0x400001, &writer));
    CHECK_EQUAL(WRY_BAD_RANGE, wry_session_digest(&rig->session, 0x400000, 1, digest));
    CHECK_EQUAL(0x400000, wry_session_fault(&rig->session)->offset);
    CHECK_EQUAL(WRY_BAD_ARGUMENT, wry_session_sector_sums(&rig->session, 0, 257, sums));
    CHECK_EQUAL(WRY_BAD_ARGUMENT, wry_session_sector_sums(&rig->session, 0, 0, sums));
    CHECK_EQUAL(WRY_BAD_ARGUMENT, wry_session_sector_sums(&rig->session, 0x100, 1, sums));
    CHECK_EQUAL(WRY_OK, wry_session_read(&rig->session, 0x3FFFFF, 1, &writer));
    CHECK_EQUAL(1, total);
    rig_free(rig);
}

static void what_the_board_refuses_to_read_is_named(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 12});
    uint64_t total = 0;
    struct wry_writer writer = {.context = &total, .write = take};

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    rig->session.board.capacity = 0x800000; /* the board knows better */
    CHECK_EQUAL(WRY_BAD_RANGE, wry_session_read(&rig->session, 0x400000, 0x100, &writer));
    CHECK_EQUAL(WRY_STEP_READ, wry_session_fault(&rig->session)->step);
    CHECK_EQUAL(WRY_ERROR_BAD_RANGE, wry_session_fault(&rig->session)->found);
    CHECK_EQUAL(0, total);
    rig_free(rig);
}

/* Before the write nothing tells: both halves are blank. What was written shows in both. */
static void a_blank_flash_that_claims_too_much_is_found_by_its_echo(void)
{
    for (uint32_t claims = 0; claims <= 0x800000; claims += 0x800000) {
        struct rig *rig =
            rig_new(&(struct rig_setup){.seed = 13, .blank = true, .faults = {.claims = claims}});
        struct wry_placement item = place((claims ? claims : 0x400000) / 2 + 0x1000, 0x2000);
        struct wry_plan plan;
        struct wry_fault fault;
        rig_random(content, 0x2000, 13);
        check_context("claims %u", (unsigned)claims);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->session.board.capacity, &fault));
        CHECK_EQUAL(claims ? WRY_FLASH_SMALLER : WRY_OK, wry_session_write(&rig->session, &plan));
        CHECK_EQUAL(claims, wry_session_fault(&rig->session)->expected);
        CHECK_EQUAL(claims / 2, wry_session_fault(&rig->session)->found);
        rig_free(rig);
    }
}

static void the_smallest_flash_is_written_to_its_end(void)
{
    for (unsigned blank = 0; blank < 2; blank++) {
        struct rig *rig = rig_new(
            &(struct rig_setup){.seed = 14 + blank, .flash_size = 0x10000, .blank = blank > 0});
        struct wry_placement item = place(0x7123, 0x10000 - 0x7123);
        rig_random(content, 0x10000, 14);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(WRY_OK, write_one(rig, item));
        CHECK(rig_holds(rig, &item, 1));
        rig_free(rig);
    }
}

static void a_flash_without_an_id_has_a_status_of_its_own(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 7});

    rig->board.die.part.sfdp = false;
    memset(rig->board.die.jedec, 0xFF, sizeof rig->board.die.jedec);
    CHECK_EQUAL(WRY_FLASH_SILENT, wry_session_connect(&rig->session));
    rig_free(rig);
}

static void a_page_that_does_not_read_back_is_named(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 8});

    rig->session.config.every_sector = true;
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    rig->board.die.stuck_at = 0x42345;
    CHECK_EQUAL(WRY_FLASH_FAILED, write_one(rig, place(0x40000, 0x8000)));
    CHECK_EQUAL(0x42300, wry_session_fault(&rig->session)->offset);
    rig_free(rig);
}

static void flash_above_16_mib_is_written_read_and_erased(void)
{
    struct wry_placement item = place(0x1FFF123, 0x2345);
    struct rig *rig = rig_new(
        &(struct rig_setup){.seed = 9, .chip_code = WRY_CHIP_DUNLIN_D3, .flash_size = 0x4000000});
    uint64_t total = 0;
    struct wry_writer writer = {.context = &total, .write = take};

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_OK, write_one(rig, item));
    CHECK(rig_holds(rig, &item, 1));
    item = place(0x3FFF000, 0x1000);
    CHECK_EQUAL(WRY_OK, write_one(rig, item));
    CHECK(memcmp(rig->flash + item.offset, content, item.length) == 0);
    CHECK_EQUAL(WRY_OK, wry_session_read(&rig->session, 0x3FFF800, 0x800, &writer));
    CHECK_EQUAL(0x800, total);
    rig_free(rig);
}

/* A port whose n-th call of one kind fails for good. */
struct failing {
    const struct wry_port *inner;
    unsigned reads_left, writes_left;
    struct wry_port port;
};

static enum wry_status failing_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                    size_t *got)
{
    struct failing *f = context;

    *got = 0;
    if (f->reads_left == 0)
        return WRY_LINK_LOST;
    f->reads_left--;
    return f->inner->read(f->inner->context, bytes, room, deadline, got);
}

static enum wry_status failing_write(void *context, const uint8_t *bytes, size_t n)
{
    struct failing *f = context;

    if (f->writes_left == 0)
        return WRY_LINK_LOST;
    f->writes_left--;
    return f->inner->write(f->inner->context, bytes, n);
}

static void a_port_that_fails_for_good_ends_every_call_as_gone(void)
{
    uint64_t total = 0;
    struct wry_writer writer = {.context = &total, .write = take};
    uint8_t digest[WRY_SHA256_SIZE];

    for (unsigned n = 0; n < 90; n++) {
        struct rig *rig = rig_new(&(struct rig_setup){.seed = n});
        struct failing f = {
            .inner = &rig->adapter.port, .reads_left = 100000, .writes_left = 100000};
        enum wry_status status = WRY_OK;
        f.port = port_filter(&f);
        f.port.write = failing_write;
        f.port.read = failing_read;
        f.port.top_speed = 921600;
        rig->session.port = &f.port;
        check_context("n %u", n);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        if (n % 2)
            f.reads_left = n;
        else
            f.writes_left = n / 10;
        if (n % 3 == 0)
            status = wry_session_read(&rig->session, 0, 0x80000, &writer);
        else if (n % 3 == 1)
            status = write_one(rig, place(0x40123, 0x20000));
        else
            for (unsigned i = 0; i < 200 && status == WRY_OK; i++)
                status = wry_session_digest(&rig->session, i * 0x1000, 0x1000, digest);
        CHECK_EQUAL(WRY_PORT_GONE, status);
        rig_free(rig);
    }
}

/* Frames begin short, grow on a clean line, and shrink on a bad one. */
static void frames_follow_the_loss(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 10});
    uint64_t total = 0;
    struct wry_writer writer = {.context = &total, .write = take};

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(512, rig->session.pace.payload);
    CHECK_EQUAL(WRY_OK, wry_session_read(&rig->session, 0, 0x20000, &writer));
    CHECK_EQUAL(WRY_PAYLOAD_MAX, rig->session.pace.payload);
    rig->adapter.to_host.noise_ppb = 100000;
    CHECK_EQUAL(WRY_OK, wry_session_read(&rig->session, 0, 0x40000, &writer));
    CHECK_EQUAL(WRY_PAGE_SIZE, rig->session.pace.payload);
    rig->adapter.to_host.noise_ppb = 0;
    CHECK_EQUAL(WRY_OK, wry_session_read(&rig->session, 0, 0x200000, &writer));
    CHECK_EQUAL(WRY_PAYLOAD_MAX, rig->session.pace.payload);
    rig_free(rig);
}

static void two_answers_that_contradict_each_other_are_a_failure_of_their_own(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 11});
    struct wry_placement item = place(0x40000, 0x100);
    uint8_t digest[WRY_SHA256_SIZE];

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    memcpy(rig->flash + 0x40000, content, 0x100);
    rig->flash[0x40000] ^= 1;
    CHECK_EQUAL(WRY_OK, wry_session_digest(&rig->session, 0x40000, 0x100, digest));
    /* The board keeps its digest; the content behind it becomes what it should be. */
    rig->flash[0x40000] ^= 1;
    CHECK_EQUAL(WRY_CONTRADICTED,
                wry_session_verify(&rig->session, &item, WRY_VERIFY_DIGEST, NULL));
    CHECK_EQUAL(0x40000, wry_session_fault(&rig->session)->offset);
    CHECK_EQUAL(0x100, wry_session_fault(&rig->session)->length);
    rig_free(rig);
}

static struct wry_cost cost(uint8_t coding, uint32_t unit, uint32_t line_bytes, uint32_t speed)
{
    const struct session_cost_terms terms = {
        .speed = speed, .latency = 1000, .window = 65536, .rate = 5, .hash = 500};
    const struct wry_cost_part part = {.length = 65536,
                                       .coding = coding,
                                       .erase_unit = unit,
                                       .line_bytes = line_bytes,
                                       .pages = 256};

    return session_cost_of(&terms, &part, NULL);
}

/* The way to write a part is chosen by these figures. */
static void a_part_costs_what_takes_longest(void)
{
    struct wry_cost pages = cost(0, 65536, 1000, 2000000);
    struct wry_cost deflate = cost(WRY_CODING_DEFLATE, 65536, 1000, 2000000);
    struct wry_cost difference = cost(WRY_CODING_DIFFERENCE, 65536, 1000, 2000000);

    CHECK_EQUAL(pages.flash, deflate.flash);
    /* Old content is read from the flash, a byte in 0.2 us, and waited for, 0.1 us; and a block is
     * saved first. */
    CHECK_EQUAL(deflate.flash + 65536 / 5 + 65536 / 1000 * 100 + 7000, difference.flash);
    CHECK(cost(0, 4096, 1000, 2000000).flash > pages.flash);
    CHECK(cost(0, 32768, 1000, 2000000).flash > pages.flash);
    /* Line and flash work at the same time. */
    CHECK(pages.line < pages.flash && pages.total >= pages.flash + 3000);
    struct wry_cost both = cost(0, 65536, 32768, 2000000);
    CHECK(both.line > both.flash / 2 && both.total < both.flash + both.line / 4);
    struct wry_cost slow = cost(0, 65536, 65536, 9600);
    CHECK(slow.line > slow.flash && slow.total >= slow.line + 3000);
    /* 65,536 bytes and a frame's overhead, at 960 bytes a second. */
    CHECK(slow.line > 68000000 && slow.line < 72000000);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(a_part_costs_what_takes_longest),
        FACT(a_peer_that_answers_and_never_advances_is_given_up),
        FACT(every_wait_can_be_stopped),
        FACT(a_stopped_session_goes_on_with_the_next_call),
        FACT(a_writer_that_fails_is_named_and_the_board_answers_on),
        FACT(a_reader_that_fails_while_comparing_is_named),
        FACT(a_speed_below_the_slowest_is_the_caller_s_mistake),
        FACT(work_before_connecting_is_the_caller_s_mistake),
        FACT(what_is_right_already_is_hashed_once),
        FACT(what_a_board_prints_before_it_is_found_is_no_damage),
        FACT(a_board_says_whether_it_hashes_by_an_accelerator),
        FACT(ranges_beyond_the_flash_are_refused),
        FACT(what_the_board_refuses_to_read_is_named),
        FACT(a_blank_flash_that_claims_too_much_is_found_by_its_echo),
        FACT(the_smallest_flash_is_written_to_its_end),
        FACT(a_flash_without_an_id_has_a_status_of_its_own),
        FACT(a_page_that_does_not_read_back_is_named),
        FACT(flash_above_16_mib_is_written_read_and_erased),
        FACT(a_port_that_fails_for_good_ends_every_call_as_gone),
        FACT(frames_follow_the_loss),
        FACT(two_answers_that_contradict_each_other_are_a_failure_of_their_own),
    };

    rig_random(content, sizeof content, 42);
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
