/* The simulated parts: NOR die, line, board. */
#include <string.h>

#include "harness.h"
#include "rig.h"
#include "sim/firmware.h"

#define MS UINT64_C(1000000)

static uint8_t cells[0x20000];

static void command(struct sim_nor_die *die, const uint8_t *out, size_t n, uint64_t now)
{
    sim_nor_die_transfer(die, &(struct wry_spi_transfer){.out = out, .out_length = n}, now);
}

static void enable(struct sim_nor_die *die, uint64_t now)
{
    command(die, (const uint8_t[]){0x06}, 1, now);
}

static void program(struct sim_nor_die *die, uint32_t at, const uint8_t *bytes, size_t n,
                    uint64_t now)
{
    const uint8_t head[] = {0x02, (uint8_t)(at >> 16), (uint8_t)(at >> 8), (uint8_t)at};

    enable(die, now);
    sim_nor_die_transfer(
        die,
        &(struct wry_spi_transfer){.out = head, .out_length = 4, .out2 = bytes, .out2_length = n},
        now);
}

static uint8_t status(struct sim_nor_die *die, uint64_t now)
{
    uint8_t value = 0;

    sim_nor_die_transfer(
        die,
        &(struct wry_spi_transfer){
            .out = (const uint8_t[]){0x05}, .out_length = 1, .in = &value, .in_length = 1},
        now);
    return value;
}

static void programming_only_clears_bits(void)
{
    struct sim_nor_die die;
    const uint8_t one[] = {0xF0}, two[] = {0x3C};

    memset(cells, 0xFF, sizeof cells);
    sim_nor_die_init(&die, cells, sizeof cells, 1);
    program(&die, 0x100, one, 1, 0);
    CHECK_EQUAL(1, status(&die, 0) & 1);
    CHECK_EQUAL(0, status(&die, 1 * MS) & 1);
    program(&die, 0x100, two, 1, 2 * MS);
    sim_nor_die_settle(&die, 3 * MS);
    CHECK_EQUAL(0x30, cells[0x100]);
}

static void programming_wraps_within_its_page(void)
{
    struct sim_nor_die die;
    const uint8_t two[] = {0x11, 0x22};

    memset(cells, 0xFF, sizeof cells);
    sim_nor_die_init(&die, cells, sizeof cells, 1);
    program(&die, 0x1FF, two, 2, 0);
    sim_nor_die_settle(&die, MS);
    CHECK_EQUAL(0x11, cells[0x1FF]);
    CHECK_EQUAL(0x22, cells[0x100]);
    CHECK_EQUAL(0xFF, cells[0x200]);
}

static void nothing_happens_without_write_enable_or_while_busy(void)
{
    struct sim_nor_die die;
    const uint8_t erase[] = {0x20, 0, 0x10, 0};

    memset(cells, 0, sizeof cells);
    sim_nor_die_init(&die, cells, sizeof cells, 1);
    command(&die, erase, 4, 0);
    sim_nor_die_settle(&die, 100 * MS);
    CHECK_EQUAL(0, cells[0x1000]);
    enable(&die, 100 * MS);
    command(&die, erase, 4, 100 * MS);
    enable(&die, 101 * MS);
    command(&die, (const uint8_t[]){0xD8, 1, 0, 0}, 4, 102 * MS);
    sim_nor_die_settle(&die, 500 * MS);
    CHECK_EQUAL(0xFF, cells[0x1000]);
    CHECK_EQUAL(0xFF, cells[0x1FFF]);
    CHECK_EQUAL(0, cells[0x2000]);
    CHECK_EQUAL(0, cells[0x10000]);
}

static void operations_take_their_typical_time(void)
{
    static const struct {
        uint8_t code;
        uint64_t time;
    } erases[] = {{0x20, 45 * MS}, {0x52, 120 * MS}, {0xD8, 150 * MS}};
    struct sim_nor_die die;

    for (size_t i = 0; i < 3; i++) {
        const uint8_t erase[] = {erases[i].code, 0, 0, 0};
        sim_nor_die_init(&die, cells, sizeof cells, 1);
        enable(&die, 0);
        command(&die, erase, 4, 0);
        CHECK_EQUAL(1, status(&die, erases[i].time - 1000) & 1);
        CHECK_EQUAL(0, status(&die, erases[i].time + 2000) & 1);
    }
}

static void a_power_cut_leaves_a_sector_undefined_but_seeded(void)
{
    uint8_t other[0x1000];
    struct sim_nor_die die;

    for (int round = 0; round < 2; round++) {
        memset(cells, 0, sizeof cells);
        sim_nor_die_init(&die, cells, sizeof cells, 7);
        enable(&die, 0);
        command(&die, (const uint8_t[]){0x20, 0, 0, 0}, 4, 0);
        sim_nor_die_cut(&die, 20 * MS);
        CHECK(!wry_bytes_blank(cells, 0x1000));
        CHECK_EQUAL(0, cells[0x1000]);
        if (round == 0)
            memcpy(other, cells, sizeof other);
        CHECK(memcmp(other, cells, sizeof other) == 0);
    }
}

struct ear {
    uint8_t bytes[4096];
    size_t n;
    uint64_t last;
};

static void listen(void *receiver, uint8_t byte, uint64_t at)
{
    struct ear *ear = receiver;

    ear->bytes[ear->n++ % sizeof ear->bytes] = byte;
    ear->last = at;
}

static void a_byte_takes_ten_bit_times(void)
{
    struct sim_line line;
    struct ear ear = {.n = 0};

    sim_line_init(&line, 64, 1, listen, &ear);
    CHECK_EQUAL(3, sim_line_put(&line, (const uint8_t *)"abc", 3, 5 * MS));
    sim_line_advance(&line, 5 * MS + 86804);
    CHECK_EQUAL(0, ear.n);
    sim_line_advance(&line, 6 * MS);
    CHECK_EQUAL(3, ear.n);
    CHECK_EQUAL(5 * MS + UINT64_C(3) * 86805, ear.last);
    CHECK(memcmp(ear.bytes, "abc", 3) == 0);
}

static void a_line_takes_no_more_than_its_room(void)
{
    struct sim_line line;
    struct ear ear = {.n = 0};
    uint8_t bytes[100] = {0};

    sim_line_init(&line, 64, 1, listen, &ear);
    CHECK_EQUAL(64, sim_line_put(&line, bytes, sizeof bytes, 0));
    CHECK_EQUAL(0, sim_line_put(&line, bytes, 1, 0));
}

static void a_receiver_at_another_speed_hears_garbage(void)
{
    struct sim_line line;
    struct ear ear = {.n = 0};

    sim_line_init(&line, 64, 1, listen, &ear);
    line.receiver_baud = 38400;
    sim_line_put(&line, (const uint8_t *)"tide gauge", 10, 0);
    sim_line_advance(&line, 10 * MS);
    CHECK_EQUAL(10, ear.n);
    CHECK(memcmp(ear.bytes, "tide gauge", 10) != 0);
}

static void noise_strikes_about_as_often_as_asked(void)
{
    static uint8_t zeros[SIM_LINE_ROOM];
    struct sim_line line;
    struct ear ear = {.n = 0};
    size_t damaged = 0;

    sim_line_init(&line, SIM_LINE_ROOM, 3, listen, &ear);
    line.noise_ppb = 1000000; /* 1e-3: about one byte in a hundred */
    for (int i = 0; i < 50; i++) {
        ear.n = 0;
        sim_line_put(&line, zeros, 1000, (uint64_t)i * 1000 * MS);
        sim_line_advance(&line, (uint64_t)(i + 1) * 1000 * MS);
        damaged += ear.n != 1000;
        for (size_t k = 0; k < ear.n && k < sizeof ear.bytes; k++)
            damaged += ear.bytes[k] != 0;
    }
    CHECK(damaged > 350 && damaged < 650);
}

static void the_board_boots_only_a_whole_program(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 1});
    struct sim_firmware firmware = {
        .chip = rig->board.chip, .identity = &rig->board.identity, .die = &rig->board.die};
    char text[SIM_SCRIPT_ROOM];

    CHECK(!sim_firmware_boot(&firmware, text, sizeof text));
    CHECK(strstr(text, "start program at 0x4000: no boot header") != NULL);
    CHECK(strstr(text, "nothing to run") != NULL);
    memset(rig->flash, 0xFF, rig->flash_size);
    CHECK(!sim_firmware_boot(&firmware, text, sizeof text));
    CHECK(strstr(text, "0x4000: blank") != NULL);
    rig_free(rig);
}

static void reset_with_the_strap_held_enters_loading_mode(void)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 1});

    rig->adapter.port.set_lines(rig->adapter.port.context, true, true);
    CHECK_EQUAL(SIM_BOARD_HELD, rig->board.state);
    rig->adapter.port.set_lines(rig->adapter.port.context, false, true);
    rig->adapter.port.sleep(rig->adapter.port.context, 100000);
    CHECK_EQUAL(SIM_BOARD_LOADING, rig->board.state);
    rig->adapter.port.set_lines(rig->adapter.port.context, true, false);
    rig->adapter.port.set_lines(rig->adapter.port.context, false, false);
    rig->adapter.port.sleep(rig->adapter.port.context, 200000);
    CHECK_EQUAL(SIM_BOARD_STUCK, rig->board.state);
    rig_free(rig);
}

static bool drop(void *context, uint32_t offset, const uint8_t *from, size_t n)
{
    (void)context;
    (void)offset;
    (void)from;
    (void)n;
    return true;
}

/* A board that sleeps as long as its loader says wakes for each byte: it answers as soon as one
 * that is always awake. */
static void a_sleeping_board_answers_at_once(void)
{
    uint64_t took[2];

    for (unsigned i = 0; i < 2; i++) {
        struct rig *rig = rig_new(&(struct rig_setup){.seed = 4});
        rig->board.sleeps = i == 1;
        CHECK_EQUAL(WRY_OK, wry_session_connect(&rig->session));
        uint64_t began = rig->adapter.now;
        for (unsigned n = 0; n < 20; n++)
            CHECK_EQUAL(WRY_OK, wry_session_read(&rig->session, n * 4096, 256,
                                                 &(struct wry_writer){.write = drop}));
        took[i] = rig->adapter.now - began;
        rig_free(rig);
    }
    check_context("%u and %u us", (unsigned)(took[0] / 1000), (unsigned)(took[1] / 1000));
    CHECK(took[1] < took[0] + 20 * MS);
    check_context(NULL);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(programming_only_clears_bits),
        FACT(programming_wraps_within_its_page),
        FACT(nothing_happens_without_write_enable_or_while_busy),
        FACT(operations_take_their_typical_time),
        FACT(a_power_cut_leaves_a_sector_undefined_but_seeded),
        FACT(a_byte_takes_ten_bit_times),
        FACT(a_line_takes_no_more_than_its_room),
        FACT(a_receiver_at_another_speed_hears_garbage),
        FACT(noise_strikes_about_as_often_as_asked),
        FACT(the_board_boots_only_a_whole_program),
        FACT(a_sleeping_board_answers_at_once),
        FACT(reset_with_the_strap_held_enters_loading_mode),
    };
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
