/* Agreeing on a speed, over lines that carry more one way than the other. */
#include <string.h>

#include "core/bytes/fields.h"
#include "core/wire/frame_codec.h"
#include "harness.h"
#include "port_filter.h"
#include "rig.h"
#include "wrytograph/bytes.h"
#include "wrytograph/chip.h"
#include "wrytograph/frame.h"

#define NS_PER_S UINT64_C(1000000000)

enum { SEEDS = 10, LENGTH = 40000 };

static const uint32_t limits[] = {115200, 250000, 500000, 1000000, 1500000};
static const uint16_t chips[] = {WRY_CHIP_SANDERLING_S1, WRY_CHIP_TURNSTONE_T2, WRY_CHIP_DUNLIN_D3};

static uint8_t content[LENGTH];

/* A board of before the proof, as its hello tells. */
struct elder {
    const struct wry_port *inner;
    struct wry_decoder decoder;
    uint8_t body[WRY_BODY_MAX + WRY_FRAME_FCS_SIZE];
    uint8_t line[WRY_FRAME_WORST(WRY_BODY_MAX)];
    size_t fill, at;
    struct wry_port port;
};

static void pass_on(struct elder *elder)
{
    struct wry_encoder encoder;
    uint8_t *features = elder->body + WRY_MESSAGE_PREFIX + 6;

    if (elder->body[0] == (WRY_KIND_HELLO | WRY_KIND_REPLY))
        bytes_put16(features, bytes_get16(features) & (uint16_t)~WRY_FEATURE_PROOF);
    frame_encoder_init(&encoder, elder->body, elder->decoder.length, NULL, 0);
    elder->fill = frame_encoder_give(&encoder, elder->line, sizeof elder->line);
    elder->at = 0;
}

static enum wry_status elder_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                  size_t *got)
{
    struct elder *elder = context;
    enum wry_frame_event event;
    uint8_t byte;

    while (elder->at == elder->fill) {
        enum wry_status status = elder->inner->read(elder->inner->context, &byte, 1, deadline, got);
        if (status != WRY_OK || *got == 0)
            return status;
        frame_decoder_take(&elder->decoder, &byte, 1, &event);
        if (event == WRY_FRAME_GOOD)
            pass_on(elder);
        if (event == WRY_FRAME_OUTSIDE) {
            bytes[0] = byte;
            return WRY_OK;
        }
    }
    *got = elder->fill - elder->at < room ? elder->fill - elder->at : room;
    memcpy(bytes, elder->line + elder->at, *got);
    elder->at += *got;
    return WRY_OK;
}

static void make_elder(struct elder *elder, struct rig *rig)
{
    memset(elder, 0, sizeof *elder);
    elder->inner = &rig->adapter.port;
    frame_decoder_init(&elder->decoder, elder->body, sizeof elder->body);
    elder->port = port_filter(elder);
    elder->port.read = elder_read;
    rig->session.port = &elder->port;
}

/* Of the speeds that are tried. */
static uint32_t best_within(uint32_t limit, uint32_t top)
{
    static const uint32_t speeds[] = {2000000, 1500000, 921600, 460800, 230400};

    for (size_t i = 0; i < sizeof speeds / sizeof speeds[0]; i++) {
        if (speeds[i] <= limit && speeds[i] <= top)
            return speeds[i];
    }
    return WRY_STARTING_SPEED;
}

static void check_write(struct rig *rig)
{
    struct wry_placement item = {
        .offset = 0x20123, .length = LENGTH, .reader = rig_reader(content)};
    struct wry_plan plan;
    struct wry_fault fault;

    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
    CHECK(rig_holds(rig, &item, 1));
}

static struct rig *begin(uint64_t seed, uint16_t chip, const struct sim_board_faults *faults)
{
    rig_random(content, sizeof content, seed);
    return rig_new(&(struct rig_setup){
        .seed = seed, .chip_code = chip, .flash_size = 0x80000, .faults = *faults});
}

static void check_one_way(uint64_t seed, uint16_t chip, uint32_t limit, bool to_board,
                          uint32_t latency_ms)
{
    struct sim_board_faults faults = {.clean_in = to_board ? limit : 0,
                                      .clean_out = to_board ? 0 : limit,
                                      .latency_ms = latency_ms};
    struct rig *rig = begin(seed, chip, &faults);
    uint32_t best = best_within(limit, rig->board.identity.top_speed);

    check_context("seed %u, chip 0x%04X, %s board to %u baud, latency %u ms", (unsigned)seed, chip,
                  to_board ? "to the" : "from the", limit, latency_ms);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(best, rig->session.speed);
    CHECK_EQUAL(best, rig->board.loader.speed);
    CHECK(rig->adapter.now <= 3 * NS_PER_S);
    check_write(rig);
    CHECK_EQUAL(best, rig->session.speed);
    rig_free(rig);
}

static void a_speed_that_works_one_way_is_not_taken(void)
{
    for (unsigned i = 0; i < 5 * 2 * 3 * SEEDS; i++)
        check_one_way(i / 30, chips[i % 3], limits[i / 3 % 5], i / 15 % 2, 0);
}

/* The adapter's latency is most of what a trial takes. */
static void so_it_is_over_slow_adapters(void)
{
    for (unsigned i = 0; i < 5 * 2 * 3; i++)
        check_one_way(i, chips[i % 3], limits[i / 3 % 5], i / 15, 16);
}

static void an_older_board_is_told_to_come_back(void)
{
    for (unsigned i = 0; i < 5 * 2 * 3; i++) {
        bool to_board = i / 15;
        uint32_t limit = limits[i / 3 % 5];
        struct sim_board_faults faults = {.clean_in = to_board ? limit : 0,
                                          .clean_out = to_board ? 0 : limit};
        struct rig *rig = begin(i, chips[i % 3], &faults);
        struct elder elder;
        make_elder(&elder, rig);
        check_context("chip 0x%04X, %s board to %u baud", chips[i % 3],
                      to_board ? "to the" : "from the", limit);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(best_within(limit, rig->board.identity.top_speed), rig->session.speed);
        CHECK(rig->adapter.now <= 6 * NS_PER_S);
        check_write(rig);
        rig_free(rig);
    }
}

/* Its hellos are no proof; whatever else it asks for at that speed is. */
static void an_older_host_keeps_the_speed_as_before(void)
{
    struct rig *rig = begin(1, WRY_CHIP_TURNSTONE_T2, &(struct sim_board_faults){0});
    struct elder elder;

    make_elder(&elder, rig);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(2000000, rig->session.speed);
    sim_adapter_advance(&rig->adapter, rig->adapter.now + 2 * NS_PER_S, false);
    CHECK_EQUAL(2000000, rig->board.loader.speed);
    check_write(rig);
    rig_free(rig);
}

/* An adapter, or a server's, that cannot go faster: it says so beforehand, or when it is told to.
 */
struct slow_port {
    const struct wry_port *inner;
    uint32_t most;
    unsigned refused;
    struct wry_port port;
};

static enum wry_status slow_set_speed(void *context, uint32_t baud)
{
    struct slow_port *slow = context;

    if (baud <= slow->most)
        return slow->inner->set_speed(slow->inner->context, baud);
    slow->refused++;
    return WRY_UNSUPPORTED;
}

static bool slow_can_speed(void *context, uint32_t baud)
{
    const struct slow_port *slow = context;

    return baud <= slow->most;
}

static void a_speed_that_the_port_cannot_do_is_left_out(void)
{
    for (unsigned i = 0; i < 5 * 2; i++) {
        struct rig *rig = begin(i, WRY_CHIP_TURNSTONE_T2, &(struct sim_board_faults){0});
        struct slow_port slow = {.inner = &rig->adapter.port, .most = limits[i % 5]};
        bool says = i < 5;
        slow.port = port_filter(&slow);
        slow.port.set_speed = slow_set_speed;
        slow.port.can_speed = says ? slow_can_speed : NULL;
        rig->session.port = &slow.port;
        check_context("to %u baud, %s", limits[i % 5], says ? "asked" : "told");
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(best_within(limits[i % 5], 2000000), rig->session.speed);
        CHECK_EQUAL(0, says ? slow.refused : 0);
        CHECK(says || slow.refused > 0);
        CHECK(rig->adapter.now <= (says ? 1 : 3) * NS_PER_S);
        check_write(rig);
        rig_free(rig);
    }
}

/* A computer that is busy with other work for a while: what arrives then is read afterwards. */
struct busy_port {
    const struct wry_port *inner;
    struct sim_adapter *adapter;
    uint64_t from, until; /* ns */
    struct wry_port port;
};

static enum wry_status busy_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                 size_t *got)
{
    struct busy_port *busy = context;
    uint64_t now = busy->adapter->now;
    uint64_t end = deadline * 1000u < busy->until ? deadline * 1000u : busy->until;

    if (now < busy->from || now >= busy->until)
        return busy->inner->read(busy->inner->context, bytes, room, deadline, got);
    *got = 0;
    if (end > now)
        sim_adapter_advance(busy->adapter, end, false);
    return WRY_OK;
}

/* Whenever that is, the highest speed of the cable is found. */
static void a_busy_computer_takes_no_speed_away(void)
{
    for (uint64_t from = 0; from < 2 * NS_PER_S; from += 10 * NS_PER_S / 1000) {
        for (uint64_t length = 100; length <= 300; length += 100) {
            struct rig *rig = begin(from, WRY_CHIP_TURNSTONE_T2,
                                    &(struct sim_board_faults){.clean_baud = 500000});
            struct busy_port busy = {.inner = &rig->adapter.port,
                                     .adapter = &rig->adapter,
                                     .from = from,
                                     .until = from + length * NS_PER_S / 1000};
            busy.port = port_filter(&busy);
            busy.port.read = busy_read;
            rig->session.port = &busy.port;
            check_context("for %u ms at %u ms", (unsigned)length,
                          (unsigned)(from * 1000 / NS_PER_S));
            CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
            CHECK_EQUAL(460800, rig->session.speed);
            rig_free(rig);
        }
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {FACT(a_speed_that_works_one_way_is_not_taken),
                                        FACT(so_it_is_over_slow_adapters),
                                        FACT(an_older_board_is_told_to_come_back),
                                        FACT(an_older_host_keeps_the_speed_as_before),
                                        FACT(a_speed_that_the_port_cannot_do_is_left_out),
                                        FACT(a_busy_computer_takes_no_speed_away)};

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
