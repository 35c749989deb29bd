/* Sessions against the real loader on simulated hardware. */
#include <string.h>

#include "harness.h"
#include "port_filter.h"
#include "rig.h"
#include "sim/random.h"

static uint8_t content[0x100000];

static struct wry_placement place(uint32_t offset, uint32_t length, uint32_t from)
{
    return (struct wry_placement){
        .offset = offset, .length = length, .reader = rig_reader(content + from)};
}

static enum wry_status write(struct rig *rig, struct wry_placement *items, size_t count)
{
    struct wry_plan plan;
    struct wry_fault fault;
    enum wry_status status = wry_plan_init(&plan, items, count, rig->flash_size, &fault);

    return status == WRY_OK ? wry_session_write(&rig->session, &plan) : status;
}

static void connect_goes_to_the_fastest_speed_both_sides_can(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 1});

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(2000000, rig->session.speed);
    CHECK_EQUAL(2000000, rig->board.loader.speed);
    CHECK_EQUAL(0x400000, wry_session_board(&rig->session)->capacity);
    rig_free(rig);
    rig = rig_new(&(struct rig_setup){.seed = 1, .max_speed = 250000});
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(250000, rig->session.speed);
    rig_free(rig);
    rig = rig_new(&(struct rig_setup){
        .seed = 1, .chip_code = WRY_CHIP_SANDERLING_S1, .flash_size = 0x100000});
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(921600, rig->session.speed);
    rig_free(rig);
}

static void a_speed_the_cable_cannot_do_costs_a_second_each(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 1, .faults = {.clean_baud = 500000}});

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(460800, rig->session.speed);
    CHECK_EQUAL(3, wry_session_stats(&rig->session)->speed_steps_down);
    CHECK(rig->adapter.now < UINT64_C(4000000000));
    rig_free(rig);
}

static void without_the_strap_the_running_firmware_is_heard(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 1, .faults = {.strap_released = true}});
    uint8_t heard[WRY_SESSION_HEARD + 1] = {0};

    CHECK_EQUAL(WRY_NO_ANSWER, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_STEP_CONNECT, wry_session_fault(&rig->session)->step);
    heard[wry_session_heard(&rig->session, heard)] = 0;
    CHECK(strstr((char *)heard, "waiting for reset") != NULL);
    CHECK(memcmp(rig->flash, rig->before, rig->flash_size) == 0);
    rig_free(rig);
}

static void a_board_without_power_is_not_heard(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 1});

    sim_adapter_power(&rig->adapter, false);
    CHECK_EQUAL(WRY_NO_ANSWER, wry_session_connect(&rig->session));
    CHECK_EQUAL(0, wry_session_stats(&rig->session)->bytes_received);
    rig_free(rig);
}

static void written_content_is_there_and_nothing_else_changed(void)
{
    struct wry_placement items[] = {place(0x4000, 0x5000, 0), place(0xE000, 180, 0x5000),
                                    place(0x40000, 0x81234, 0x6000)};
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 2});

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_OK, write(rig, items, 3));
    CHECK(rig_holds(rig, items, 3));
    CHECK_EQUAL(0, wry_session_stats(&rig->session)->frames_resent);
    CHECK_EQUAL(0, rig->board.overruns);
    rig_free(rig);
}

static void random_plans_on_noisy_lines_are_written_exactly(void)
{
    struct wry_placement items[6];

    for (uint64_t seed = 0; seed < 60; seed++) {
        uint64_t random = seed;
        uint32_t at = 0;
        size_t count = 1 + sim_random(&random) % 6;
        struct rig *rig = rig_new(&(struct rig_setup){
            .seed = seed,
            .chip_code = WRY_CHIP_SANDERLING_S1,
            .flash_size = 0x80000,
            .faults = {.noise_ppb = (uint32_t)(seed % 3) * 20000},
        });
        for (size_t i = 0; i < count; i++) {
            at += (uint32_t)(sim_random(&random) % 9000);
            items[i] = place(at, 1 + (uint32_t)(sim_random(&random) % 30000), 0x4000 * (uint32_t)i);
            at += items[i].length;
        }
        check_context("seed %llu", (unsigned long long)seed);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(WRY_OK, write(rig, items, count));
        CHECK(rig_holds(rig, items, count));
        rig_free(rig);
    }
}

static void a_mebibyte_on_a_noisy_line_takes_at_most_1_4_of_the_clean_time(void)
{
    struct wry_placement item = place(0x40000, sizeof content, 0);
    uint64_t times[2];

    for (unsigned noisy = 0; noisy < 2; noisy++) {
        struct rig *rig = rig_new(&(struct rig_setup){
            .seed = 3, .max_speed = 921600, .faults = {.noise_ppb = noisy * 10000}});
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        uint64_t begun = rig->adapter.now;
        CHECK_EQUAL(WRY_OK, write(rig, &item, 1));
        times[noisy] = rig->adapter.now - begun;
        CHECK(rig_holds(rig, &item, 1));
        CHECK((wry_session_stats(&rig->session)->frames_resent > 20) == noisy);
        rig_free(rig);
    }
    CHECK(times[1] * 10 <= times[0] * 14);
}

static void the_time_of_a_write_is_close_to_the_larger_of_line_and_flash(void)
{
    static const uint32_t speeds[] = {115200, 921600, 2000000};
    static const unsigned percent[] = {105, 105, 110};
    struct wry_placement item = place(0x40000, sizeof content, 0);

    for (size_t i = 0; i < 3; i++) {
        struct rig *rig = rig_new(&(struct rig_setup){.seed = 4, .max_speed = speeds[i]});
        rig->adapter.inbox.latency = 16000000;
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        uint64_t begun = rig->adapter.now;
        CHECK_EQUAL(WRY_OK, write(rig, &item, 1));
        uint64_t line = sizeof content * UINT64_C(10000000000) / speeds[i];
        uint64_t flash = UINT64_C(16) * 150000000 + UINT64_C(4096) * 400000;
        uint64_t limit = line > flash ? line : flash;
        check_context("%u baud", (unsigned)speeds[i]);
        CHECK((rig->adapter.now - begun) * 100 <= limit * percent[i]);
        rig_free(rig);
    }
}

/* The first that is said of it, while nothing is written yet. */
static uint64_t said_at, said;

static bool note_expected(void *context, const struct wry_session_progress *progress)
{
    const struct rig *rig = context;

    if (said == 0 && progress->expected > 0) {
        said = progress->expected;
        said_at = rig->adapter.now / 1000;
    }
    return false;
}

static void what_is_left_of_a_write_is_told_from_the_beginning(void)
{
    static const uint32_t speeds[] = {9600, 115200, 921600, 2000000};
    struct wry_placement item = place(0x40000, sizeof content, 0);

    for (size_t i = 0; i < 4; i++) {
        struct rig *rig = rig_new(&(struct rig_setup){.seed = 4, .max_speed = speeds[i]});
        rig_mend_by(rig, note_expected);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        said = 0;
        CHECK_EQUAL(WRY_OK, write(rig, &item, 1));
        uint64_t took = rig->adapter.now / 1000 - said_at;
        check_context("%u baud: expected %u ms, took %u ms", (unsigned)speeds[i],
                      (unsigned)(said / 1000), (unsigned)(took / 1000));
        CHECK(said > 0);
        CHECK(said * 10 > took * 9 && said * 10 < took * 11);
        rig_free(rig);
    }
}

static void a_write_that_is_stopped_leaves_a_board_that_answers(void)
{
    struct wry_placement item = place(0x40000, 0x40000, 0);
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 5});

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    rig->stop_after = rig->reports + 20;
    CHECK_EQUAL(WRY_STOPPED, write(rig, &item, 1));
    CHECK(memcmp(rig->flash + 0x80000, rig->before + 0x80000, 0x1000) == 0);
    rig->stop_after = 0;
    CHECK_EQUAL(WRY_OK, write(rig, &item, 1));
    CHECK(rig_holds(rig, &item, 1));
    rig_free(rig);
}

static bool fail_to_read(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    (void)context;
    memset(to, 0, n);
    return offset < 0x4000;
}

static void a_source_that_fails_is_named_by_offset(void)
{
    struct wry_placement item = {
        .offset = 0x40000, .length = 0x8000, .reader = {.read = fail_to_read}};
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 6});

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_SOURCE_FAILED, write(rig, &item, 1));
    /* Of every fifth sector, which are read first, the one that cannot be read. */
    CHECK_EQUAL(0x45000, wry_session_fault(&rig->session)->offset & ~0xFFFu);
    rig_free(rig);
}

struct gathered {
    uint8_t *bytes;
    uint32_t start;
    uint64_t n;
};

static bool gather(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct gathered *gathered = context;

    memcpy(gathered->bytes + (offset - gathered->start), bytes, n);
    gathered->n += n;
    return true;
}

static void reading_gives_the_flash_content_even_through_noise(void)
{
    static uint8_t room[0x81234];

    for (uint32_t noise = 0; noise <= 40000; noise += 20000) {
        struct gathered gathered = {.bytes = room, .start = 0x2345};
        struct wry_writer writer = {.context = &gathered, .write = gather};
        struct rig *rig = rig_new(&(struct rig_setup){.seed = 7, .faults = {.noise_ppb = noise}});
        memset(rig->flash + 0x20000, 0xFF, 0x30000);
        check_context("noise %u", (unsigned)noise);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(WRY_OK, wry_session_read(&rig->session, 0x2345, sizeof room, &writer));
        CHECK(memcmp(room, rig->flash + 0x2345, sizeof room) == 0);
        CHECK_EQUAL(sizeof room, gathered.n);
        /* The blank part costs next to nothing on the line. */
        CHECK(noise > 0 ||
              wry_session_stats(&rig->session)->bytes_received < sizeof room - 0x30000 + 12000);
        rig_free(rig);
    }
}

struct noted {
    unsigned count;
    uint32_t offset[8], length[8];
};

static void note(void *context, uint32_t offset, uint32_t length, uint8_t expected, uint8_t found)
{
    struct noted *noted = context;

    CHECK(expected != found);
    if (noted->count < 8) {
        noted->offset[noted->count] = offset;
        noted->length[noted->count] = length;
    }
    noted->count++;
}

static void verify_names_every_stretch_that_differs(void)
{
    struct wry_placement item = place(0x40123, 0x9876, 0);
    struct noted noted = {0};
    struct wry_difference_sink sink = {.context = &noted, .difference = note};
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 8});

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    memcpy(rig->flash + item.offset, content, item.length);
    CHECK_EQUAL(WRY_OK, wry_session_verify(&rig->session, &item, WRY_VERIFY_DIGEST, &sink));
    CHECK_EQUAL(0, noted.count);
    rig->flash[0x40123] ^= 1;
    rig->flash[0x44FFF] ^= 0x80;
    rig->flash[0x45000] ^= 0x80;
    rig->flash[0x40123 + 0x9875] ^= 4;
    /* The board's digest is kept until the flash changes by its own hand. */
    rig_new_session(rig, 99);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_DIFFERS, wry_session_verify(&rig->session, &item, WRY_VERIFY_DIGEST, &sink));
    CHECK_EQUAL(3, noted.count);
    CHECK_EQUAL(0x40123, noted.offset[0]);
    CHECK_EQUAL(0x44FFF, noted.offset[1]);
    CHECK_EQUAL(2, noted.length[1]);
    CHECK_EQUAL(0x49998, noted.offset[2]);
    CHECK_EQUAL(0x40123, wry_session_fault(&rig->session)->offset);
    rig_free(rig);
}

static void a_speed_that_loses_most_frames_is_given_up(void)
{
    struct wry_placement item = place(0x40000, 0x40000, 0);
    struct rig *rig = rig_new(&(struct rig_setup){
        .seed = 9, .max_speed = 921600, .faults = {.noise_ppb = 700000, .noise_above = 600000}});

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(921600, rig->session.speed);
    CHECK_EQUAL(WRY_OK, write(rig, &item, 1));
    CHECK(rig_holds(rig, &item, 1));
    CHECK_EQUAL(460800, rig->session.speed);
    rig_free(rig);
}

static void a_slower_speed_that_is_no_better_is_left_again(void)
{
    struct wry_placement item = place(0x40000, 0x40000, 0);

    for (uint32_t bound = 0; bound <= 921600; bound += 921600) {
        struct rig *rig = rig_new(
            &(struct rig_setup){.seed = 9, .max_speed = bound, .faults = {.noise_ppb = 500000}});
        check_context("bound %u", (unsigned)bound);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        uint32_t speed = rig->session.speed;
        CHECK_EQUAL(WRY_OK, write(rig, &item, 1));
        CHECK(rig_holds(rig, &item, 1));
        CHECK_EQUAL(speed, rig->session.speed);
        CHECK(rig->session.pace.settled);
        rig_free(rig);
    }
}

static void a_board_that_is_reset_in_the_middle_is_found_again(void)
{
    struct wry_placement item = place(0x40800, 0x20000, 0);
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 10, .max_speed = 921600});

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    sim_board_lines(&rig->board, true, false, rig->adapter.now);
    sim_board_lines(&rig->board, false, false, rig->adapter.now);
    CHECK_EQUAL(WRY_OK, write(rig, &item, 1));
    CHECK(rig_holds(rig, &item, 1));
    CHECK(wry_session_stats(&rig->session)->reconnects > 0);
    rig_free(rig);
}

/* A port that fails now and then, and comes back when it is opened again. */
struct flaky {
    const struct wry_port *inner;
    uint64_t bytes_left; /* until the next failure */
    bool broken;
    unsigned breaks;
    struct wry_port port;
};

static enum wry_status flaky_write(void *context, const uint8_t *bytes, size_t n)
{
    struct flaky *flaky = context;

    if (!flaky->broken && flaky->bytes_left <= n) {
        flaky->inner->write(flaky->inner->context, bytes, (size_t)flaky->bytes_left);
        flaky->broken = true;
        flaky->breaks++;
    }
    if (flaky->broken)
        return WRY_LINK_LOST;
    flaky->bytes_left -= n;
    return flaky->inner->write(flaky->inner->context, bytes, n);
}

static enum wry_status flaky_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                  size_t *got)
{
    struct flaky *flaky = context;

    *got = 0;
    return flaky->broken ? WRY_LINK_LOST
                         : flaky->inner->read(flaky->inner->context, bytes, room, deadline, got);
}

static enum wry_status flaky_set_speed(void *context, uint32_t baud)
{
    struct flaky *flaky = context;

    return flaky->broken ? WRY_LINK_LOST : flaky->inner->set_speed(flaky->inner->context, baud);
}

static enum wry_status flaky_set_lines(void *context, bool reset, bool boot)
{
    struct flaky *flaky = context;

    return flaky->broken ? WRY_LINK_LOST
                         : flaky->inner->set_lines(flaky->inner->context, reset, boot);
}

/* Back at the second try, after a while. */
static enum wry_status flaky_reopen(void *context)
{
    struct flaky *flaky = context;

    flaky->broken = false;
    flaky->bytes_left = 11000;
    return flaky->breaks % 2 && flaky->breaks++ ? WRY_LINK_LOST : WRY_OK;
}

static void a_hundred_disconnects_cost_time_not_the_job(void)
{
    struct wry_placement item = place(0x40000, sizeof content, 0);
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 13});
    struct flaky flaky = {.inner = &rig->adapter.port, .bytes_left = UINT64_MAX};

    flaky.port = port_filter(&flaky);
    flaky.port.write = flaky_write;
    flaky.port.read = flaky_read;
    flaky.port.set_speed = flaky_set_speed;
    flaky.port.set_lines = flaky_set_lines;
    flaky.port.reopen = flaky_reopen;
    flaky.port.top_speed = 2000000;
    rig->session.port = &flaky.port;
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    flaky.bytes_left = 11000;
    CHECK_EQUAL(WRY_OK, write(rig, &item, 1));
    CHECK(rig_holds(rig, &item, 1));
    CHECK(wry_session_stats(&rig->session)->reconnects >= 100);
    rig_free(rig);
}

static void a_link_that_stays_away_is_given_up_after_the_patience(void)
{
    struct wry_placement item = place(0x40000, 0x10000, 0);
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 14});

    rig->config.patience = 3000000;
    rig_new_session(rig, 5);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    sim_adapter_power(&rig->adapter, false);
    uint64_t begun = rig->adapter.now;
    CHECK_EQUAL(WRY_LINK_LOST, write(rig, &item, 1));
    CHECK(rig->adapter.now - begun < UINT64_C(20000000000));
    rig_free(rig);
}

static void a_board_that_restarts_again_and_again_is_given_up(void)
{
    struct wry_placement item = place(0x40000, 0x20000, 0);
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 16, .faults = {.brown_out = true}});

    rig->config.every_sector = true;
    rig_new_session(rig, 8);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_LINK_LOST, write(rig, &item, 1));
    CHECK(memcmp(rig->flash, rig->before, 0x40000) == 0);
    CHECK(memcmp(rig->flash + 0x60000, rig->before + 0x60000, 0x10000) == 0);
    rig_free(rig);
}

static void loading_mode_by_hand_waits_for_the_hand(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 15});

    rig->config.by_hand = true;
    rig->config.call_time = 2000000;
    rig_new_session(rig, 6);
    CHECK_EQUAL(WRY_NO_ANSWER, wry_session_connect(&rig->session));
    CHECK(rig->adapter.now < UINT64_C(3000000000));
    sim_board_lines(&rig->board, true, true, rig->adapter.now);
    sim_board_lines(&rig->board, false, true, rig->adapter.now);
    rig_new_session(rig, 7);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    rig_free(rig);
}

static void another_board_on_the_line_stops_the_work(void)
{
    struct wry_placement item = place(0x40000, 0x20000, 0);
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 11});

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    rig->board.identity.eui48[5] ^= 1;
    sim_board_lines(&rig->board, true, true, rig->adapter.now);
    sim_board_lines(&rig->board, false, true, rig->adapter.now);
    CHECK_EQUAL(WRY_WRONG_BOARD, write(rig, &item, 1));
    CHECK(memcmp(rig->flash, rig->before, rig->flash_size) == 0);
    rig_free(rig);
    /* The same address on another chip is not what the work was planned for. */
    rig = rig_new(&(struct rig_setup){.seed = 13});
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    rig->board.identity.chip_code ^= 1;
    sim_board_lines(&rig->board, true, true, rig->adapter.now);
    sim_board_lines(&rig->board, false, true, rig->adapter.now);
    CHECK_EQUAL(WRY_WRONG_BOARD, write(rig, &item, 1));
    CHECK(memcmp(rig->flash, rig->before, rig->flash_size) == 0);
    rig_free(rig);
}

static void start_runs_the_firmware(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 12});

    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(WRY_OK, wry_session_start(&rig->session));
    rig->adapter.port.sleep(rig->adapter.port.context, rig->adapter.now / 1000 + 300000);
    CHECK_EQUAL(SIM_BOARD_STUCK, rig->board.state);
    rig_free(rig);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(connect_goes_to_the_fastest_speed_both_sides_can),
        FACT(a_speed_the_cable_cannot_do_costs_a_second_each),
        FACT(without_the_strap_the_running_firmware_is_heard),
        FACT(a_board_without_power_is_not_heard),
        FACT(written_content_is_there_and_nothing_else_changed),
        FACT(random_plans_on_noisy_lines_are_written_exactly),
        FACT(a_mebibyte_on_a_noisy_line_takes_at_most_1_4_of_the_clean_time),
        FACT(the_time_of_a_write_is_close_to_the_larger_of_line_and_flash),
        FACT(what_is_left_of_a_write_is_told_from_the_beginning),
        FACT(a_write_that_is_stopped_leaves_a_board_that_answers),
        FACT(a_source_that_fails_is_named_by_offset),
        FACT(reading_gives_the_flash_content_even_through_noise),
        FACT(verify_names_every_stretch_that_differs),
        FACT(a_speed_that_loses_most_frames_is_given_up),
        FACT(a_slower_speed_that_is_no_better_is_left_again),
        FACT(a_board_that_is_reset_in_the_middle_is_found_again),
        FACT(a_hundred_disconnects_cost_time_not_the_job),
        FACT(a_link_that_stays_away_is_given_up_after_the_patience),
        FACT(a_board_that_restarts_again_and_again_is_given_up),
        FACT(loading_mode_by_hand_waits_for_the_hand),
        FACT(another_board_on_the_line_stops_the_work),
        FACT(start_runs_the_firmware),
    };
    rig_random(content, sizeof content, 42);
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
