/*
 * How long writing takes, in simulated time, compared with the least possible.
 *
 * The limit of a row is max(time of what has to travel on the line, erase + program time of the
 * flash): the payload, or for packed content what zlib makes of it at its best, in one stream.
 * Measured is from the call of wry_session_write to its return: erase, content, digest, all
 * checked. The host's processor time is that of the session alone: time spent inside the port,
 * which is the simulation of line and board, is taken off.
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <zlib.h>

#include "demo/firmware_like.h"
#include "pack/content_packer.h"
#include "sim/adapter.h"
#include "sim/random.h"
#include "wrytograph/session.h"

#define FLASH_SIZE 0x400000u
#define IMAGE_SIZE 0x100000u
#define IMAGE_OFFSET 0x40000u

struct workbench {
    struct sim_board board;
    struct sim_adapter adapter;
    struct wry_session session;
    struct wry_port timed_port;
    double in_port; /* s of processor time since begun */
    double begun;
    const struct wry_packer *packer;
    uint8_t flash[FLASH_SIZE];
    uint8_t image[IMAGE_SIZE];
};

static bool read_image(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    struct workbench *bench = context;

    memcpy(to, bench->image + offset, n);
    return true;
}

static void fill_random(uint8_t *to, size_t n, uint64_t seed)
{
    for (size_t i = 0; i < n; i++)
        to[i] = (uint8_t)sim_random(&seed);
}

static double processor_time(void)
{
    struct timespec now;

    clock_gettime(CLOCK_PROCESS_CPUTIME_ID, &now);
    return (double)now.tv_sec + (double)now.tv_nsec / 1e9;
}

static enum wry_status timed_write(void *context, const uint8_t *bytes, size_t n)
{
    struct workbench *bench = context;
    double begun = processor_time();
    enum wry_status status = bench->adapter.port.write(&bench->adapter, bytes, n);

    bench->in_port += processor_time() - begun;
    return status;
}

static enum wry_status timed_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                  size_t *got)
{
    struct workbench *bench = context;
    double begun = processor_time();
    enum wry_status status = bench->adapter.port.read(&bench->adapter, bytes, room, deadline, got);

    bench->in_port += processor_time() - begun;
    return status;
}

static enum wry_status timed_set_speed(void *context, uint32_t baud)
{
    struct workbench *bench = context;

    return bench->adapter.port.set_speed(&bench->adapter, baud);
}

static enum wry_status timed_set_lines(void *context, bool reset, bool boot)
{
    struct workbench *bench = context;

    return bench->adapter.port.set_lines(&bench->adapter, reset, boot);
}

static enum wry_status timed_discard(void *context)
{
    struct workbench *bench = context;

    return bench->adapter.port.discard(&bench->adapter);
}

static uint64_t timed_now(void *context)
{
    struct workbench *bench = context;

    return bench->adapter.port.now(&bench->adapter);
}

static void timed_sleep(void *context, uint64_t until)
{
    struct workbench *bench = context;
    double begun = processor_time();

    bench->adapter.port.sleep(&bench->adapter, until);
    bench->in_port += processor_time() - begun;
}

/* A used board: every sector has to be erased. */
static void set_up(struct workbench *bench, uint64_t latency_ms, uint32_t noise_ppb)
{
    struct wry_board_identity identity = {.chip_code = WRY_CHIP_TURNSTONE_T2,
                                          .eui48 = {0x02, 0x57, 0x52, 0, 0, 1},
                                          .top_speed = 2000000};

    fill_random(bench->flash, sizeof bench->flash, 1);
    fill_random(bench->image, sizeof bench->image, 2);
    sim_board_init(&bench->board, wry_chip_by_code(identity.chip_code), &identity, bench->flash,
                   FLASH_SIZE, 3);
    bench->board.faults.noise_ppb = noise_ppb;
    sim_adapter_init(&bench->adapter, &bench->board, 4);
    bench->adapter.inbox.latency = latency_ms * 1000000;
    sim_adapter_power(&bench->adapter, true);
    bench->timed_port = (struct wry_port){
        .context = bench,
        .write = timed_write,
        .read = timed_read,
        .set_speed = timed_set_speed,
        .set_lines = timed_set_lines,
        .discard = timed_discard,
        .now = timed_now,
        .sleep = timed_sleep,
        .top_speed = bench->adapter.port.top_speed,
    };
}

static bool add_expected(void *context, const struct wry_cost_part *part,
                         const struct wry_cost *cost)
{
    (void)part;
    *(double *)context += (double)cost->total / 1e6;
    return true;
}

/* Seconds of simulated time for the write, or an end of the program. expected: what the cost model
 * says before; or NULL. */
static double run(struct workbench *bench, uint32_t baud, double *expected)
{
    struct wry_estimate_sink sink = {.context = expected, .part = add_expected};
    struct wry_session_config config = {.token = 77, .max_speed = baud, .packer = bench->packer};
    struct wry_placement placement = {.offset = IMAGE_OFFSET,
                                      .length = IMAGE_SIZE,
                                      .reader = {.context = bench, .read = read_image}};
    struct wry_plan plan;
    struct wry_fault fault;

    wry_session_init(&bench->session, &bench->timed_port, &config);
    if (wry_plan_init(&plan, &placement, 1, FLASH_SIZE, &fault) != WRY_OK ||
        wry_session_connect(&bench->session) != WRY_OK) {
        fprintf(stderr, "perf: the simulated board does not answer\n");
        exit(1);
    }
    if (expected)
        *expected = 0;
    if (expected && wry_session_estimate(&bench->session, &plan, &sink) != WRY_OK)
        exit(1);
    bench->in_port = 0;
    bench->begun = processor_time();
    uint64_t start = bench->adapter.now;
    enum wry_status status = wry_session_write(&bench->session, &plan);
    if (status != WRY_OK || memcmp(bench->flash + IMAGE_OFFSET, bench->image, IMAGE_SIZE) != 0) {
        fprintf(stderr, "perf: the write failed with status %d\n", status);
        exit(1);
    }
    return (double)(bench->adapter.now - start) / 1e9;
}

static double limit(size_t bytes, uint32_t baud)
{
    double line = (double)bytes * 10 / baud;
    double flash = (double)IMAGE_SIZE / 0x10000 * 0.150 + (double)IMAGE_SIZE / 256 * 0.0004;

    return line > flash ? line : flash;
}

static const uint32_t speeds[] = {115200, 460800, 921600, 2000000};
static const uint64_t latencies[] = {0, 2, 16};
static const size_t speed_count = sizeof speeds / sizeof speeds[0];
static const size_t latency_count = sizeof latencies / sizeof latencies[0];

static void incompressible_as_pages(struct workbench *bench)
{
    printf("Write of 1 MiB of incompressible data to a used flash, simulated time\n\n");
    printf("%9s %9s %10s %10s %9s %12s\n", "baud", "latency", "measured", "limit", "ratio",
           "host CPU/MiB");
    for (size_t s = 0; s < speed_count; s++) {
        for (size_t l = 0; l < latency_count; l++) {
            set_up(bench, latencies[l], 0);
            double measured = run(bench, speeds[s], NULL), least = limit(IMAGE_SIZE, speeds[s]);
            double cpu = processor_time() - bench->begun - bench->in_port;
            printf("%9u %6u ms %8.3f s %8.3f s %9.4f %9.3f s\n", (unsigned)speeds[s],
                   (unsigned)latencies[l], measured, least, measured / least, cpu);
        }
    }
}

static void with_noise(struct workbench *bench)
{
    static const uint32_t noises[] = {100, 1000, 10000, 30000, 100000};

    printf("\nThe same at 921600 baud and 2 ms with bit errors in both directions\n\n");
    printf("%9s %10s %16s %13s %9s\n", "BER", "measured", "of clean time", "frames resent",
           "speed");
    set_up(bench, 2, 0);
    double clean = run(bench, 921600, NULL);
    for (size_t i = 0; i < sizeof noises / sizeof noises[0]; i++) {
        set_up(bench, 2, noises[i]);
        double measured = run(bench, 921600, NULL);
        printf("%9.0e %8.3f s %16.3f %13u %9u\n", noises[i] / 1e9, measured, measured / clean,
               wry_session_stats(&bench->session)->frames_resent, (unsigned)bench->session.speed);
    }
}

/* What zlib makes of the image in one stream. */
static size_t packed_size(const struct workbench *bench)
{
    static uint8_t packed[IMAGE_SIZE + IMAGE_SIZE / 8];
    z_stream z = {.next_in = (Bytef *)(uintptr_t)bench->image,
                  .avail_in = IMAGE_SIZE,
                  .next_out = packed,
                  .avail_out = sizeof packed};

    if (deflateInit2(&z, 9, Z_DEFLATED, -15, 9, Z_DEFAULT_STRATEGY) != Z_OK)
        return IMAGE_SIZE;
    deflate(&z, Z_FINISH);
    deflateEnd(&z);
    return z.total_out;
}

static void packed_row(struct workbench *bench, const char *content, size_t speed, size_t latency)
{
    bool like_firmware = content[0] == 'f';

    set_up(bench, latencies[latency], 0);
    if (like_firmware)
        fill_like_firmware(bench->image, sizeof bench->image, 5);
    double expected;
    double measured = run(bench, speeds[speed], &expected);
    double cpu = processor_time() - bench->begun - bench->in_port;
    double least = limit(packed_size(bench), speeds[speed]);
    printf("%-14s %9u %6u ms %8.3f s %8.3f s %8.3f s %9.4f %9.3f s %10u\n", content,
           (unsigned)speeds[speed], (unsigned)latencies[latency], expected, measured, least,
           measured / least, cpu, (unsigned)wry_session_stats(&bench->session)->content_sent);
}

static void stream_with_noise(struct workbench *bench, uint32_t baud)
{
    static const uint32_t noises[] = {0, 1000, 10000, 100000};
    double clean = 0;

    for (size_t i = 0; i < sizeof noises / sizeof noises[0]; i++) {
        set_up(bench, 2, noises[i]);
        fill_like_firmware(bench->image, sizeof bench->image, 5);
        double measured = run(bench, baud, NULL);
        clean = i == 0 ? measured : clean;
        printf("%9u %9.0e %8.3f s %16.3f %13u\n", (unsigned)baud, noises[i] / 1e9, measured,
               measured / clean, wry_session_stats(&bench->session)->frames_resent);
    }
}

static void as_a_stream(struct workbench *bench)
{
    struct pack *deflate = pack_new();

    if (!deflate)
        exit(1);
    bench->packer = pack_packer(deflate);
    printf("\nWrite of 1 MiB as a deflate stream\n\n");
    printf("%-14s %9s %9s %10s %10s %10s %9s %12s %10s\n", "content", "baud", "latency", "expected",
           "measured", "limit", "ratio", "host CPU/MiB", "bytes");
    for (size_t s = 0; s < speed_count; s++) {
        for (size_t l = 0; l < latency_count; l++)
            packed_row(bench, "firmware-like", s, l);
    }
    for (size_t s = 0; s < speed_count; s++)
        packed_row(bench, "random", s, 1);
    printf(
        "\nThe same firmware-like stream at 115200 and 921600 baud and 2 ms with bit errors\n\n");
    printf("%9s %9s %10s %16s %13s\n", "baud", "BER", "measured", "of clean time", "frames resent");
    stream_with_noise(bench, 115200);
    stream_with_noise(bench, 921600);
    bench->packer = NULL;
    pack_free(deflate);
}

int main(void)
{
    struct workbench *bench = calloc(1, sizeof *bench);

    if (!bench)
        return 1;
    incompressible_as_pages(bench);
    with_noise(bench);
    as_a_stream(bench);
    free(bench);
    return 0;
}
