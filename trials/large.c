/*
 * The largest flash through every call: 128 MiB, blank and full, at slow and quick lines, with its
 * SPI at 10, 40 and 80 MHz. In virtual time; each case must end right.
 *
 * usage: large [JOBS]
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "rig.h"

enum {
    SIZE = 128 << 20,
};

enum call {
    BACK_UP,
    VERIFY,
    ERASE,
    RESTORE,
    CALLS,
};

static const char *const call_names[CALLS] = {"back up", "verify", "erase", "restore"};
static const uint32_t speeds[] = {115200, 2000000};
static const uint32_t clocks[] = {10000000, 40000000, 80000000};

struct large {
    enum call call;
    bool full;
    uint32_t speed, clock;
};

static const uint8_t *expected;
static uint64_t wrong;

static bool compare(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    (void)context;
    wrong += memcmp(bytes, expected + offset, n) != 0;
    return true;
}

static void differs(void *context, uint32_t offset, uint32_t length, uint8_t should, uint8_t found)
{
    (void)context;
    (void)offset;
    (void)should;
    (void)found;
    wrong += length;
}

static enum wry_status write_all(struct rig *rig, const uint8_t *content)
{
    struct wry_placement item = {.length = SIZE, .reader = rig_reader(content)};
    struct wry_plan plan;
    struct wry_fault fault;
    enum wry_status status = wry_plan_init(&plan, &item, 1, SIZE, &fault);

    if (status == WRY_OK)
        status = wry_session_write(&rig->session, &plan);
    wrong += memcmp(rig->flash, content, SIZE) != 0;
    return status;
}

static enum wry_status perform(struct rig *rig, enum call call, uint8_t *other)
{
    struct wry_writer writer = {.write = compare};
    struct wry_placement item = {.length = SIZE, .reader = rig_reader(rig->before)};
    struct wry_difference_sink sink = {.difference = differs};
    uint8_t digest[WRY_SHA256_SIZE];

    expected = rig->before;
    switch (call) {
    case BACK_UP:
        return wry_session_back_up(&rig->session, 0, SIZE, &writer, digest);
    case VERIFY:
        return wry_session_verify(&rig->session, &item, WRY_VERIFY_DIGEST, &sink);
    case ERASE:
        memset(other, 0xFF, SIZE);
        return write_all(rig, other);
    default:
        rig_mixed(other, SIZE, 99);
        return write_all(rig, other);
    }
}

static int run(const struct large *c)
{
    struct rig *rig = rig_new(&(struct rig_setup){.seed = 5,
                                                  .chip_code = WRY_CHIP_DUNLIN_D3,
                                                  .flash_size = SIZE,
                                                  .max_speed = c->speed,
                                                  .blank = !c->full});
    uint8_t *other = malloc(SIZE);

    if (c->full) {
        rig_mixed(rig->flash, SIZE, 7);
        memcpy(rig->before, rig->flash, SIZE);
    }
    rig->board.die.spi_hz = c->clock;
    enum wry_status status = wry_session_connect(&rig->session);
    uint64_t begun = rig->adapter.now;
    if (status == WRY_OK)
        status = perform(rig, c->call, other);
    bool right = status == WRY_OK && wrong == 0;
    printf("%-8s %-6s %8u baud %3u MHz %9.0f s  %s\n", call_names[c->call],
           c->full ? "full" : "blank", (unsigned)c->speed, (unsigned)c->clock / 1000000,
           (double)(rig->adapter.now - begun) / 1e9, right ? "right" : wry_status_text(status));
    fflush(stdout);
    free(other);
    rig_free(rig);
    return right ? 0 : 1;
}

static int reap(void)
{
    int status = 1;

    wait(&status);
    return status != 0;
}

int main(int argc, char **argv)
{
    long jobs = argc > 1 ? strtol(argv[1], NULL, 10) : sysconf(_SC_NPROCESSORS_ONLN);
    int failed = 0, running = 0;

    for (unsigned i = 0; i < CALLS * 12; i++) {
        const struct large c = {.call = (enum call)(i % CALLS),
                                .full = i / CALLS / 6 % 2,
                                .speed = speeds[i / CALLS / 3 % 2],
                                .clock = clocks[i / CALLS % 3]};
        if (running == jobs) {
            failed += reap();
            running--;
        }
        if (fork() == 0)
            _exit(run(&c));
        running++;
    }
    for (; running > 0; running--)
        failed += reap();
    printf("%d cases, %d wrong\n", CALLS * 12, failed);
    return failed > 0;
}
