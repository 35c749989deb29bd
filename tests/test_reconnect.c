/* Ports that go away and come back: an adapter that is unplugged, a board that is its own adapter.
 */
#include <string.h>

#include "harness.h"
#include "port_filter.h"
#include "rig.h"

#define US_PER_S UINT64_C(1000000)

enum { LENGTH = 0x9000 + 77, OFFSET = 0x20123 };

static uint8_t content[LENGTH];

/* Goes away at one of its calls, for a while. */
struct leaver {
    const struct wry_port *inner;
    unsigned calls, leaves_at;
    bool leaves_at_reset; /* each time */
    uint64_t away;        /* us; 0 = for good */
    bool gone;
    uint64_t back_at;
    unsigned left; /* how often it has */
    struct wry_port port;
};

static void leave(struct leaver *leaver)
{
    leaver->gone = true;
    leaver->left++;
    leaver->back_at = leaver->inner->now(leaver->inner->context) + leaver->away;
}

static bool is_gone(struct leaver *leaver)
{
    if (!leaver->gone && ++leaver->calls == leaver->leaves_at)
        leave(leaver);
    return leaver->gone;
}

static enum wry_status leaver_write(void *context, const uint8_t *bytes, size_t n)
{
    struct leaver *leaver = context;

    return is_gone(leaver) ? WRY_LINK_LOST : leaver->inner->write(leaver->inner->context, bytes, n);
}

static enum wry_status leaver_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                   size_t *got)
{
    struct leaver *leaver = context;

    *got = 0;
    return is_gone(leaver)
               ? WRY_LINK_LOST
               : leaver->inner->read(leaver->inner->context, bytes, room, deadline, got);
}

static enum wry_status leaver_set_speed(void *context, uint32_t baud)
{
    struct leaver *leaver = context;

    return is_gone(leaver) ? WRY_LINK_LOST : leaver->inner->set_speed(leaver->inner->context, baud);
}

static enum wry_status leaver_set_lines(void *context, bool reset, bool boot)
{
    struct leaver *leaver = context;

    if (is_gone(leaver))
        return WRY_LINK_LOST;
    enum wry_status status = leaver->inner->set_lines(leaver->inner->context, reset, boot);
    if (reset && leaver->leaves_at_reset) {
        /* Nobody drives the lines then; its strap is held at the board. */
        leaver->inner->set_lines(leaver->inner->context, false, false);
        leave(leaver);
    }
    return status;
}

static enum wry_status leaver_reopen(void *context)
{
    struct leaver *leaver = context;

    if (leaver->away > 0 && leaver->inner->now(leaver->inner->context) >= leaver->back_at)
        leaver->gone = false;
    return leaver->gone ? WRY_LINK_LOST : WRY_OK;
}

static struct rig *begin(struct leaver *leaver, uint64_t seed)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = seed});

    rig_random(content, sizeof content, seed);
    memset(leaver, 0, sizeof *leaver);
    leaver->inner = &rig->adapter.port;
    leaver->port = port_filter(leaver);
    leaver->port.write = leaver_write;
    leaver->port.read = leaver_read;
    leaver->port.set_speed = leaver_set_speed;
    leaver->port.set_lines = leaver_set_lines;
    leaver->port.reopen = leaver_reopen;
    rig->session.port = &leaver->port;
    return rig;
}

static bool take(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    const struct rig *rig = context;

    return memcmp(rig->flash + offset, bytes, n) == 0;
}

/* Connect, write with shared sectors at both ends, verify, back up. */
static enum wry_status work(struct rig *rig)
{
    struct wry_placement item = {.offset = OFFSET, .length = LENGTH, .reader = rig_reader(content)};
    struct wry_writer writer = {.context = rig, .write = take};
    uint8_t digest[WRY_SHA256_SIZE];
    struct wry_plan plan;
    struct wry_fault fault;
    enum wry_status status = wry_session_connect(&rig->session);

    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    if (status == WRY_OK)
        status = wry_session_write(&rig->session, &plan);
    if (status == WRY_OK)
        CHECK(rig_holds(rig, &item, 1));
    if (status == WRY_OK)
        status = wry_session_back_up(&rig->session, 0x1F000, 0x10000, &writer, digest);
    return status;
}

static void whatever_call_it_leaves_at_the_work_is_done(void)
{
    struct leaver leaver;
    struct rig *rig = begin(&leaver, 1);

    CHECK_EQUAL(WRY_OK, work(rig));
    unsigned calls = leaver.calls;
    rig_free(rig);
    CHECK(calls > 100);
    for (unsigned n = 1; n < calls; n += check_one_in(n < 60 ? 1 : 7)) {
        rig = begin(&leaver, n);
        leaver.leaves_at = n;
        leaver.away = 2 * US_PER_S;
        check_context("call %u", n);
        CHECK_EQUAL(WRY_OK, work(rig));
        CHECK_EQUAL(1, leaver.left);
        rig_free(rig);
    }
}

static void one_that_stays_away_is_called_gone(void)
{
    struct leaver leaver;

    for (unsigned n = 1; n < 100; n += 13) {
        struct rig *rig = begin(&leaver, n);
        leaver.leaves_at = n;
        check_context("call %u", n);
        CHECK_EQUAL(WRY_PORT_GONE, work(rig));
        CHECK(rig->adapter.now < UINT64_C(13000000000));
        rig_free(rig);
    }
}

/* The reset that asks it for loading mode takes it off the bus for a second or two. */
static void a_board_that_is_its_own_adapter_comes_back(void)
{
    struct leaver leaver;

    for (unsigned i = 0; i < 4; i++) {
        struct rig *rig = begin(&leaver, i);
        leaver.leaves_at_reset = true;
        leaver.away = (i + 1) * US_PER_S;
        sim_adapter_hold_strap(&rig->adapter, true);
        check_context("away %u s", i + 1);
        CHECK_EQUAL(WRY_OK, work(rig));
        CHECK_EQUAL(1, leaver.left);
        rig_free(rig);
        /* Without the strap it comes back, runs its program, and is silent. */
        rig = begin(&leaver, i);
        leaver.leaves_at_reset = true;
        leaver.away = (i + 1) * US_PER_S;
        CHECK_EQUAL(WRY_NO_ANSWER, work(rig));
        CHECK_EQUAL(3, leaver.left);
        rig_free(rig);
    }
}

static unsigned reports;

/* Plugs the board's power in, which is the adapter's as well, after some seconds of calling. */
static bool hold_button(void *context, const struct wry_session_progress *progress)
{
    struct rig *rig = context;

    (void)progress;
    if (++reports == 40) {
        sim_adapter_hold_strap(&rig->adapter, true);
        sim_adapter_power(&rig->adapter, false);
        sim_adapter_power(&rig->adapter, true);
    }
    return false;
}

static void by_hand_an_adapter_may_come_and_go(void)
{
    struct leaver leaver;

    for (unsigned n = 1; n < 200; n += 23) {
        struct rig *rig = begin(&leaver, n);
        leaver.leaves_at = n;
        leaver.away = 3 * US_PER_S;
        rig->session.config.by_hand = true;
        rig->session.config.progress = hold_button;
        rig->session.config.context = rig;
        reports = 0;
        check_context("call %u", n);
        CHECK_EQUAL(WRY_OK, work(rig));
        CHECK_EQUAL(1, leaver.left);
        rig_free(rig);
    }
}

/* Swallows what comes, from the request to start on: its answer. */
struct swallower {
    const struct wry_port *inner;
    bool armed;
    size_t left;
    struct wry_port port;
};

static enum wry_status swallower_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                      size_t *got)
{
    struct swallower *swallower = context;
    enum wry_status status =
        swallower->inner->read(swallower->inner->context, bytes, room, deadline, got);
    size_t n = swallower->armed && *got < swallower->left ? *got
               : swallower->armed                         ? swallower->left
                                                          : 0;

    memmove(bytes, bytes + n, *got - n);
    *got -= n;
    swallower->left -= n;
    return status;
}

/* The board has started; that it said so got lost, and what its program says is there. */
static void a_lost_answer_to_start_is_no_failure(void)
{
    for (unsigned left = 1; left < 20; left++) {
        struct rig *rig = rig_new(&(struct rig_setup){.seed = left, .max_speed = 115200});
        struct swallower swallower = {.inner = &rig->adapter.port, .left = left < 11 ? left : 10};
        uint8_t rest[128];
        swallower.port = port_filter(&swallower);
        swallower.port.read = swallower_read;
        rig->session.port = &swallower.port;
        check_context("%u bytes lost", left);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        swallower.armed = true;
        CHECK_EQUAL(WRY_OK, wry_session_start(&rig->session));
        CHECK(wry_session_take_rest(&rig->session, rest, sizeof rest) > 0 || left > 10);
        CHECK(rig->board.state != SIM_BOARD_LOADING);
        rig_free(rig);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(whatever_call_it_leaves_at_the_work_is_done), FACT(one_that_stays_away_is_called_gone),
        FACT(a_board_that_is_its_own_adapter_comes_back), FACT(by_hand_an_adapter_may_come_and_go),
        FACT(a_lost_answer_to_start_is_no_failure)};

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
