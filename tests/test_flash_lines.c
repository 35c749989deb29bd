/* Reading and programming over one, two and four data lines: what the flash holds is right over
 * every wiring, and quick over a good one. */
#include <string.h>

#include "harness.h"
#include "rig.h"

enum {
    LENGTH = 0x19000,
    OFFSET = 0x43000,
};

static uint8_t content[LENGTH], read_back[LENGTH];

static bool take(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    (void)context;
    memcpy(read_back + (offset - OFFSET), bytes, n);
    return true;
}

struct line_case {
    uint16_t chip;
    uint32_t size;
    uint8_t lines, wired; /* of the part's table, and of the board */
    uint32_t most_hz;
    bool blank;
};

static struct rig *begin(const struct line_case *c)
{
    struct rig *rig = rig_new(&(struct rig_setup){
        .seed = 4, .chip_code = c->chip, .flash_size = c->size, .blank = c->blank});

    rig_random(content, sizeof content, 9);
    rig->board.die.part.lines = c->lines;
    rig->board.die.part.wired = c->wired;
    rig->board.die.part.most_hz = c->most_hz;
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    return rig;
}

/* us that it took. */
static uint64_t write_and_read(struct rig *rig)
{
    struct wry_placement item = {.offset = OFFSET, .length = LENGTH, .reader = rig_reader(content)};
    struct wry_writer writer = {.write = take};
    struct wry_fault fault;
    struct wry_plan plan;
    uint64_t begun = rig->adapter.now;

    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    CHECK_EQUAL(WRY_OK, wry_session_write(&rig->session, &plan));
    uint64_t took = rig->adapter.now - begun;
    CHECK(rig_holds(rig, &item, 1));
    memset(read_back, 0, sizeof read_back);
    CHECK_EQUAL(WRY_OK, wry_session_read(&rig->session, OFFSET, LENGTH, &writer));
    CHECK(memcmp(read_back, content, LENGTH) == 0);
    return took;
}

/* Lines that chip, part and wiring have in common; the clock of the chip must suit too. */
static unsigned expected(const struct line_case *c)
{
    unsigned lines = wry_chip_by_code(c->chip)->read_lines_most;

    lines = c->lines < lines ? c->lines : lines;
    while (lines > c->wired)
        lines /= 2;
    return c->most_hz > 0 && c->most_hz < wry_chip_by_code(c->chip)->read_clock_most * 1000000u
               ? 0
               : lines;
}

static void every_wiring_reads_right_and_the_most_lines_are_used(void)
{
    static const uint16_t chips[] = {WRY_CHIP_SANDERLING_S1, WRY_CHIP_TURNSTONE_T2,
                                     WRY_CHIP_DUNLIN_D3};
    static const uint8_t lines[] = {1, 2, 4};

    for (unsigned i = 0; i < 3 * 3 * 3 * 2 * 2; i++) {
        struct line_case c = {.chip = chips[i % 3],
                              .size = 0x400000,
                              .lines = lines[i / 3 % 3],
                              .wired = lines[i / 9 % 3],
                              .most_hz = i / 27 % 2 ? 50000000 : 0,
                              .blank = i / 54 != 0};
        check_context("chip %04X, %u lines, %u wired, %u Hz, blank %d", c.chip, c.lines, c.wired,
                      (unsigned)c.most_hz, c.blank);
        struct rig *rig = begin(&c);
        /* Nothing can be told on a blank flash before the first page is written. */
        CHECK_EQUAL(c.blank ? 0 : expected(&c), rig->board.loader.part.lines);
        write_and_read(rig);
        CHECK_EQUAL(expected(&c), rig->board.loader.part.lines);
        rig_free(rig);
    }
    check_context(NULL);
}

/* One page that reads differently is enough: a way at its limits is not used. */
static void a_way_that_is_right_here_and_wrong_there_is_not_used(void)
{
    struct line_case c = {.chip = WRY_CHIP_TURNSTONE_T2, .size = 0x400000, .lines = 4, .wired = 4};
    struct rig *rig = begin(&c);

    CHECK_EQUAL(4, rig->board.loader.part.lines);
    rig->board.die.part.slow_from = 0x3C0000;
    rig_new_session(rig, 2);
    sim_adapter_power(&rig->adapter, false);
    sim_adapter_power(&rig->adapter, true);
    CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
    CHECK_EQUAL(0, rig->board.loader.part.lines);
    write_and_read(rig);
    CHECK_EQUAL(0, rig->board.loader.part.lines);
    rig_free(rig);
}

static void a_large_flash_has_commands_of_its_own_for_it(void)
{
    struct line_case c = {.chip = WRY_CHIP_DUNLIN_D3, .size = 0x2000000, .lines = 4, .wired = 4};
    struct rig *rig = begin(&c);

    CHECK(rig->board.loader.part.own_commands);
    CHECK_EQUAL(4, rig->board.loader.part.lines);
    CHECK_EQUAL(0x6C, rig->board.loader.part.read_command);
    CHECK_EQUAL(0x34, rig->board.loader.part.quad_program);
    write_and_read(rig);
    rig_free(rig);
}

static void more_lines_take_less_time(void)
{
    struct line_case one = {
        .chip = WRY_CHIP_TURNSTONE_T2, .size = 0x400000, .lines = 1, .wired = 1, .most_hz = 1};
    struct line_case four = {
        .chip = WRY_CHIP_TURNSTONE_T2, .size = 0x400000, .lines = 4, .wired = 4};
    struct rig *plain = begin(&one), *quick = begin(&four);
    uint64_t slow = write_and_read(plain), fast = write_and_read(quick);

    CHECK_EQUAL(0, wry_session_board(&plain->session)->flash_rate);
    CHECK_EQUAL(40, wry_session_board(&quick->session)->flash_rate);
    CHECK(fast < slow - slow / 25);
    rig_free(plain);
    rig_free(quick);
}

/* The command is not in the part's table: a part that lacks it ignores it. */
static void a_part_that_ignores_the_program_over_four_lines_is_programmed_over_one(void)
{
    struct line_case c = {.chip = WRY_CHIP_TURNSTONE_T2, .size = 0x400000, .lines = 4, .wired = 4};
    struct rig *rig = begin(&c);

    CHECK_EQUAL(4, rig->board.loader.part.lines);
    rig->board.die.part.single_program = true;
    write_and_read(rig);
    CHECK_EQUAL(0, rig->board.loader.part.lines);
    rig_free(rig);
}

static void a_line_that_is_lost_costs_speed_and_not_the_write(void)
{
    for (unsigned wired = 1; wired <= 2; wired++) {
        struct line_case c = {.chip = WRY_CHIP_DUNLIN_D3, .size = 0x400000, .lines = 4, .wired = 4};
        struct rig *rig = begin(&c);
        check_context("%u lines left", wired);
        rig->config.every_sector = true;
        rig_new_session(rig, 2);
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        CHECK_EQUAL(4, rig->board.loader.part.lines);
        rig->board.die.part.wired = (uint8_t)wired;
        write_and_read(rig);
        CHECK_EQUAL(0, rig->board.loader.part.lines);
        rig_free(rig);
    }
    check_context(NULL);
}

/* A worn cell is found whatever the lines. */
static void a_page_that_does_not_hold_is_a_failed_flash_over_four_lines_too(void)
{
    struct line_case c = {.chip = WRY_CHIP_TURNSTONE_T2, .size = 0x400000, .lines = 4, .wired = 4};
    struct rig *rig = begin(&c);
    struct wry_placement item = {.offset = OFFSET, .length = LENGTH, .reader = rig_reader(content)};
    struct wry_fault fault;
    struct wry_plan plan;

    rig->board.die.stuck_at = OFFSET + 0x5123;
    rig->flash[OFFSET + 0x5123] = (uint8_t)~content[0x5123];
    CHECK_EQUAL(WRY_OK, wry_plan_init(&plan, &item, 1, rig->flash_size, &fault));
    CHECK_EQUAL(WRY_FLASH_FAILED, wry_session_write(&rig->session, &plan));
    CHECK_EQUAL(OFFSET + 0x5100, wry_session_fault(&rig->session)->offset);
    rig_free(rig);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(every_wiring_reads_right_and_the_most_lines_are_used),
        FACT(a_way_that_is_right_here_and_wrong_there_is_not_used),
        FACT(a_large_flash_has_commands_of_its_own_for_it),
        FACT(more_lines_take_less_time),
        FACT(a_part_that_ignores_the_program_over_four_lines_is_programmed_over_one),
        FACT(a_line_that_is_lost_costs_speed_and_not_the_write),
        FACT(a_page_that_does_not_hold_is_a_failed_flash_over_four_lines_too),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
