/*
 * How long reading a flash takes, and what a repeated write costs, in simulated time.
 *
 * Backup: a flash with 1.6 MiB of firmware-like content, the rest blank, packed by the board,
 * compared with a limit: the line time of that content packed by zlib at level 6, or the time of
 * its digest on the board (reading and hashing), whichever is longer. Once with all content
 * unknown, and once with 900 KiB known, which the limit leaves out. The time runs from the call to
 * the comparison of digests.
 * Repeated write: bytes that the host sends for the same three images, the second time compared
 * with the first.
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <zlib.h>

#include "demo/firmware_like.h"
#include "tests/known.h"
#include "tests/rig.h"

#define USED ((uint32_t)(16 * 1024 * 1024 / 10))
#define KNOWN_BYTES (900u * 1024)

static uint8_t images[0x100000];

static void die(const char *what)
{
    fprintf(stderr, "perf: %s failed\n", what);
    exit(1);
}

struct taken {
    struct rig *rig;
    uint8_t *bytes;
};

static bool take(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct taken *taken = context;

    memcpy(taken->bytes + offset, bytes, n);
    return true;
}

/* What zlib makes of it in one stream. */
static size_t packed_size(const uint8_t *bytes, size_t n)
{
    uLongf size = compressBound(n);
    uint8_t *to = malloc(size);

    if (compress2(to, &size, bytes, n, 6) != Z_OK)
        die("zlib");
    free(to);
    return size;
}

/* s of hashing and reading on the simulated board: 80 cycles a byte at 160 MHz, four data lines at
 * 80 MHz. */
static double digest_time(uint32_t bytes)
{
    return bytes * (80 / 160e6 + 8 / (4 * 80e6));
}

static void back_up(uint32_t baud, uint64_t latency_ms, bool plain, bool some_known)
{
    struct rig *rig = rig_new(
        &(struct rig_setup){.seed = 1, .blank = true, .max_speed = baud, .plain_reads = plain});
    struct known known;
    struct taken taken = {.rig = rig, .bytes = malloc(rig->flash_size)};
    struct wry_writer writer = {.context = &taken, .write = take};
    uint8_t theirs[WRY_SHA256_SIZE], ours[WRY_SHA256_SIZE];
    struct wry_sha256 sha;

    fill_like_firmware(rig->flash + 0x4000, USED, 3);
    rig->adapter.inbox.latency = latency_ms * 1000000;
    known_init(&known, rig->flash_size);
    known_add(&known, 0x4000, rig->flash + 0x4000, KNOWN_BYTES);
    known.guesses = true;
    if (some_known)
        rig->config.known = &known.known;
    rig_new_session(rig, 9);
    if (wry_session_connect(&rig->session) != WRY_OK)
        die("connecting");
    uint64_t begun = rig->adapter.now;
    if (wry_session_back_up(&rig->session, 0, rig->flash_size, &writer, theirs) != WRY_OK)
        die("the backup");
    double measured = (double)(rig->adapter.now - begun) / 1e9;
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, taken.bytes, rig->flash_size);
    wry_sha256_end(&sha, ours);
    if (memcmp(ours, theirs, sizeof ours) != 0 ||
        memcmp(taken.bytes, rig->flash, rig->flash_size) != 0)
        die("the comparison");
    uint32_t skipped = some_known ? KNOWN_BYTES : 0;
    size_t sent = plain ? USED : packed_size(rig->flash + 0x4000 + skipped, USED - skipped);
    double line = (double)sent * 10 / baud, digest = digest_time(rig->flash_size);
    double limit = line > digest ? line : digest;
    printf("%-22s %9u %6u ms %8.3f s %8.3f s %8.3f s %9.4f\n",
           plain        ? "as it is"
           : some_known ? "packed, some known"
                        : "packed",
           (unsigned)baud, (unsigned)latency_ms, measured, line, digest, measured / limit);
    known_free(&known);
    free(taken.bytes);
    rig_free(rig);
}

static uint64_t write_images(struct rig *rig, uint32_t token)
{
    struct wry_placement items[] = {
        {.offset = 0x4000, .length = 21096, .reader = rig_reader(images)},
        {.offset = 0xE000, .length = 180, .reader = rig_reader(images + 0x8000)},
        {.offset = 0x40000, .length = 921696, .reader = rig_reader(images + 0x9000)}};
    struct wry_plan plan;
    struct wry_fault fault;

    rig_new_session(rig, token);
    if (wry_session_connect(&rig->session) != WRY_OK ||
        wry_plan_init(&plan, items, 3, rig->flash_size, &fault) != WRY_OK)
        die("connecting");
    uint64_t before = wry_session_stats(&rig->session)->bytes_sent;
    if (wry_session_write(&rig->session, &plan) != WRY_OK || !rig_holds(rig, items, 3))
        die("the write");
    return wry_session_stats(&rig->session)->bytes_sent - before;
}

int main(void)
{
    static const uint32_t speeds[] = {115200, 460800, 921600, 2000000};
    static const uint64_t latencies[] = {2, 16};
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 2});

    printf("Backup of 4 MiB of flash, 1.6 MiB of it used, simulated time\n\n");
    printf("%-22s %9s %9s %10s %10s %10s %9s\n", "content", "baud", "latency", "measured", "line",
           "digest", "ratio");
    for (size_t i = 0; i < sizeof speeds / sizeof speeds[0]; i++) {
        for (size_t k = 0; k < sizeof latencies / sizeof latencies[0]; k++)
            back_up(speeds[i], latencies[k], false, false);
    }
    for (size_t i = 0; i < sizeof speeds / sizeof speeds[0]; i++)
        back_up(speeds[i], 2, false, true);
    for (size_t i = 0; i < sizeof speeds / sizeof speeds[0]; i++)
        back_up(speeds[i], 2, true, false);
    fill_like_firmware(images, sizeof images, 4);
    uint64_t first = write_images(rig, 10), second = write_images(rig, 11);
    printf(
        "\nWriting three images of 942,972 bytes, and the same again: bytes sent by the host\n\n");
    printf("    first %9u, again %6u: %.3f %%\n", (unsigned)first, (unsigned)second,
           100.0 * (double)second / (double)first);
    rig_free(rig);
    return 0;
}
