/*
 * How long an upgrade takes as the difference to what the board holds, in simulated time.
 *
 * The demo's next version over the one before: 900 KiB, of which every sector differs. Limits, in
 * the same run: the line time of what the packer makes of it, and the flash time of the erase units
 * that the board can use, without and with the SPI transfers that each page cannot do without (sent
 * once, read back once, and the old content read once). Measured is from the call of
 * wry_session_write to its return, all checked.
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "demo/program_like.h"
#include "pack/content_packer.h"
#include "tests/known.h"
#include "tests/rig.h"

enum {
    LENGTH = 900 * 1024,
    OFFSET = 0x40000,
};

static uint8_t content[LENGTH];

struct row {
    const char *name;
    uint16_t chip_code;
};

static double processor_time(void)
{
    struct timespec now;

    clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &now);
    return (double)now.tv_sec + (double)now.tv_nsec / 1e9;
}

/* s of erasing and programming. */
static double flash_time(uint32_t block)
{
    double erase = block == 0x10000 ? 0.150 : block == 0x8000 ? 0.120 : 0.045;

    return LENGTH / block * erase + LENGTH % block / 4096 * 0.045 + LENGTH / 256 * 0.0004;
}

/* s over the chip's data lines: the page to the flash and back, and of a difference what it held
 * before. */
static double transfer_time(uint16_t chip_code, bool difference)
{
    const struct wry_chip *chip = wry_chip_by_code(chip_code);

    return (difference ? 3.0 : 2.0) * LENGTH * 8 /
           (chip->read_lines_most * chip->read_clock_most * 1e6);
}

/* Processor time in s to make the difference, by a packer without a session. */
static double packing_time(const struct rig *rig, const struct known *known)
{
    const struct wry_hello_reply *board = wry_session_board(&rig->session);
    struct wry_packing packing = {.content = rig_reader(content),
                                  .length = LENGTH,
                                  .coding = WRY_CODING_DIFFERENCE,
                                  .window = board->old_dictionary,
                                  .offset = OFFSET,
                                  .old_block = board->old_block,
                                  .old_history = board->old_history,
                                  .known = &known->known};
    struct pack *pack = pack_new();
    const struct wry_packer *packer = pack_packer(pack);
    double begun = processor_time();
    static uint8_t room[65536];
    size_t given = 1;

    struct wry_stream_form form;

    if (!packer->begin(packer->context, &packing, &form))
        exit(1);
    while (given > 0 && packer->give(packer->context, room, sizeof room, &given))
        continue;
    pack_free(pack);
    return processor_time() - begun;
}

static bool add_expected(void *context, const struct wry_cost_part *part,
                         const struct wry_cost *cost)
{
    (void)part;
    *(double *)context += (double)cost->total / 1e6;
    return true;
}

static void upgrade(const struct row *row, uint32_t baud, uint64_t latency_ms)
{
    struct rig *rig =
        rig_new(&(struct rig_setup){.seed = 1, .chip_code = row->chip_code, .max_speed = baud});
    struct wry_placement item = {.offset = OFFSET, .length = LENGTH, .reader = rig_reader(content)};
    struct pack *pack = pack_new();
    struct known known;
    struct wry_plan plan;
    struct wry_fault fault;

    fill_like_program(rig->flash + OFFSET, LENGTH, 2, 0);
    known_init(&known, rig->flash_size);
    known_add(&known, OFFSET, rig->flash + OFFSET, LENGTH);
    known.guesses = true;
    rig->config.packer = pack_packer(pack);
    rig->config.known = &known.known;
    rig_new_session(rig, 5);
    rig->adapter.inbox.latency = latency_ms * 1000000;
    if (wry_session_connect(&rig->session) != WRY_OK ||
        wry_plan_init(&plan, &item, 1, rig->flash_size, &fault) != WRY_OK)
        exit(1);
    known.recognitions = 1;
    double cpu = packing_time(rig, &known) * 0x100000 / LENGTH;
    known.recognitions = 0;
    double expected = 0;
    struct wry_estimate_sink sink = {.context = &expected, .part = add_expected};
    if (wry_session_estimate(&rig->session, &plan, &sink) != WRY_OK)
        exit(1);
    uint64_t begun = rig->adapter.now;
    if (wry_session_write(&rig->session, &plan) != WRY_OK ||
        memcmp(rig->flash + OFFSET, content, LENGTH) != 0) {
        fprintf(stderr, "perf: the upgrade failed\n");
        exit(1);
    }
    double measured = (double)(rig->adapter.now - begun) / 1e9;
    uint64_t sent = wry_session_stats(&rig->session)->content_sent;
    bool difference = wry_session_stats(&rig->session)->differences > 0;
    double line = (double)sent * 10 / baud;
    double flash = flash_time(difference ? wry_session_board(&rig->session)->old_block : 0x10000);
    double all = flash + transfer_time(row->chip_code, difference);
    printf("%-13s %-10s %8u %4u ms %7.3f s %7.3f s %7.3f s %7.3f s %7.3f s %7.3f %7.3f %8u %6.4f "
           "%8.3f s\n",
           row->name, difference ? "difference" : "compressed", (unsigned)baud,
           (unsigned)latency_ms, expected, measured, line, flash, all,
           measured / (line > flash ? line : flash), measured / (line > all ? line : all),
           (unsigned)sent, (double)sent / LENGTH, cpu);
    pack_free(pack);
    known_free(&known);
    rig_free(rig);
}

int main(void)
{
    static const struct row rows[] = {{"Sanderling S1", WRY_CHIP_SANDERLING_S1},
                                      {"Turnstone T2", WRY_CHIP_TURNSTONE_T2},
                                      {"Dunlin D3", WRY_CHIP_DUNLIN_D3}};
    static const uint32_t speeds[] = {115200, 460800, 921600};

    fill_like_program(content, LENGTH, 2, 1);
    printf("Upgrade of 900 KiB, every sector different\n\n");
    printf("%-13s %-10s %8s %7s %9s %9s %9s %9s %9s %7s %7s %8s %6s %10s\n", "chip", "coding",
           "baud", "latency", "expected", "measured", "line", "flash", "with SPI", "ratio",
           "w. SPI", "bytes", "share", "CPU/MiB");
    for (size_t r = 0; r < sizeof rows / sizeof rows[0]; r++) {
        for (size_t s = 0; s < sizeof speeds / sizeof speeds[0]; s++) {
            upgrade(&rows[r], speeds[s], 2);
            upgrade(&rows[r], speeds[s], 16);
        }
    }
    return 0;
}
