/*
 * What noise costs each way in which content goes over the line: simulated time at two rates of bit
 * errors, compared with a clean line.
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "demo/program_like.h"
#include "pack/content_packer.h"
#include "tests/known.h"
#include "tests/rig.h"

enum {
    OFFSET = 0x40000,
    LENGTH = 900 * 1024,
    SEEDS = 5, /* noise is luck: the middle one of so many is shown */
};

enum way { PAGES, DEFLATE, DIFFERENCE, PACKED_READ, PLAIN_READ };

static uint8_t old_content[LENGTH], new_content[LENGTH];

static void fail(const char *what)
{
    fprintf(stderr, "perf: %s failed\n", what);
    exit(1);
}

static bool compare(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    return memcmp((const uint8_t *)context + offset, bytes, n) == 0;
}

static bool perform(struct rig *rig, enum way way)
{
    struct wry_writer writer = {.context = rig->flash, .write = compare};
    struct wry_placement item = {
        .offset = OFFSET, .length = LENGTH, .reader = rig_reader(new_content)};
    struct wry_plan plan;
    struct wry_fault fault;
    uint8_t digest[WRY_SHA256_SIZE];

    if (way == PACKED_READ || way == PLAIN_READ)
        return wry_session_back_up(&rig->session, OFFSET, LENGTH, &writer, digest) == WRY_OK;
    return wry_plan_init(&plan, &item, 1, rig->flash_size, &fault) == WRY_OK &&
           wry_session_write(&rig->session, &plan) == WRY_OK && rig_holds(rig, &item, 1);
}

static double run(enum way way, uint32_t baud, uint32_t noise_ppb, uint64_t seed)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = seed,
                                                  .max_speed = baud,
                                                  .plain_reads = way == PLAIN_READ,
                                                  .faults = {.noise_ppb = noise_ppb}});
    struct pack *pack = pack_new();
    struct known known;

    memcpy(rig->flash + OFFSET, old_content, LENGTH);
    memcpy(rig->before, rig->flash, rig->flash_size);
    known_init(&known, rig->flash_size);
    known_add(&known, OFFSET, old_content, LENGTH);
    known.guesses = true;
    rig->config.packer = way == PAGES ? NULL : pack_packer(pack);
    rig->config.known = way == DIFFERENCE ? &known.known : NULL;
    rig_new_session(rig, (uint32_t)seed);
    rig->adapter.inbox.latency = 2000000;
    if (wry_session_connect(&rig->session) != WRY_OK)
        fail("connecting");
    uint64_t begun = rig->adapter.now;
    if (!perform(rig, way))
        fail("the job");
    double seconds = (double)(rig->adapter.now - begun) / 1e9;
    pack_free(pack);
    known_free(&known);
    rig_free(rig);
    return seconds;
}

static int by_size(const void *a, const void *b)
{
    double x = *(const double *)a, y = *(const double *)b;

    return (x > y) - (x < y);
}

static double middle(enum way way, uint32_t baud, uint32_t noise_ppb)
{
    double seconds[SEEDS];

    for (uint64_t seed = 0; seed < SEEDS; seed++)
        seconds[seed] = run(way, baud, noise_ppb, seed + 1);
    qsort(seconds, SEEDS, sizeof seconds[0], by_size);
    return seconds[SEEDS / 2];
}

int main(void)
{
    static const char *const names[] = {"pages", "deflate", "difference", "packed read",
                                        "read as it is"};
    static const uint32_t speeds[] = {115200, 460800, 921600, 2000000};

    fill_like_program(old_content, LENGTH, 2, 0);
    fill_like_program(new_content, LENGTH, 2, 1);
    printf("900 KiB on a noisy line, 2 ms latency, the middle of %d\n\n", SEEDS);
    printf("%-14s %8s %10s %10s %8s %10s %8s\n", "way", "baud", "clean", "BER 1e-5", "ratio",
           "BER 1e-4", "ratio");
    for (enum way way = PAGES; way <= PLAIN_READ; way++) {
        for (size_t s = 0; s < sizeof speeds / sizeof speeds[0]; s++) {
            double clean = run(way, speeds[s], 0, 1), some = middle(way, speeds[s], 10000),
                   much = middle(way, speeds[s], 100000);
            printf("%-14s %8u %8.3f s %8.3f s %8.3f %8.3f s %8.3f\n", names[way],
                   (unsigned)speeds[s], clean, some, some / clean, much, much / clean);
        }
    }
    return 0;
}
