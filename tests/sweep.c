/* Cases of the sweep. */
#include "sweep.h"

#include <stdlib.h>
#include <string.h>

#include "rig.h"

enum {
    FLASH_SIZE = 0x100000,
    OFFSET = 0x10123,
    LENGTH_MAX = 0x80000,
};

#define WATCHDOG UINT64_C(200000000) /* ns */

const uint32_t sweep_speeds[] = {9600,   19200,  57600,  74880,   115200,
                                 230400, 460800, 921600, 1500000, 2000000};
const size_t sweep_speed_count = sizeof sweep_speeds / sizeof sweep_speeds[0];

const uint32_t sweep_latencies[] = {0, 2, 16, 100};
const size_t sweep_latency_count = sizeof sweep_latencies / sizeof sweep_latencies[0];

const struct sweep_noise sweep_noises[] = {
    {"clean", 0, 0, 110},         {"BER 1e-5", 10000, 0, 120},  {"lost 1e-4", 0, 100000, 120},
    {"BER 1e-4", 100000, 0, 180}, {"BER 2e-4", 200000, 0, 300},
};
const size_t sweep_noise_count = sizeof sweep_noises / sizeof sweep_noises[0];

const char *sweep_call_name(enum sweep_call call)
{
    static const char *const names[SWEEP_CALLS] = {"read",      "back up", "verify",
                                                   "read back", "write",   "erase"};

    return names[call];
}

const char *sweep_fill_name(enum sweep_fill fill)
{
    static const char *const names[SWEEP_FILLS] = {"blank", "half", "full"};

    return names[fill];
}

struct work {
    const struct sweep_case *c;
    struct rig *rig;
    uint8_t *content; /* to be written or compared */
    uint8_t *got;     /* what was read, from OFFSET on */
    uint64_t differing;
};

static void fill_flash(struct work *w)
{
    uint8_t *flash = w->rig->flash;

    if (w->c->fill == SWEEP_HALF) {
        for (uint32_t at = 0; at < FLASH_SIZE; at += 0x2000)
            memset(flash + at, 0xFF, 0x1000);
    }
    memcpy(w->rig->before, flash, FLASH_SIZE);
}

static bool keep(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct work *w = context;

    memcpy(w->got + (offset - OFFSET), bytes, n);
    return true;
}

static void count(void *context, uint32_t offset, uint32_t length, uint8_t expected, uint8_t found)
{
    struct work *w = context;

    (void)offset;
    w->differing += length;
    w->differing += expected == found ? UINT32_MAX : 0;
}

static uint64_t count_differing(const struct work *w)
{
    uint64_t n = 0;

    for (uint32_t i = 0; i < w->c->length; i++)
        n += w->content[i] != w->rig->flash[OFFSET + i];
    return n;
}

static enum wry_status write_plan(struct work *w, struct wry_placement *item)
{
    struct wry_plan plan;
    struct wry_fault fault;
    enum wry_status status = wry_plan_init(&plan, item, 1, FLASH_SIZE, &fault);

    return status == WRY_OK ? wry_session_write(&w->rig->session, &plan) : status;
}

static enum wry_status verify(struct work *w, struct wry_placement *item,
                              enum wry_verify_method method, bool *right)
{
    struct wry_difference_sink sink = {.context = w, .difference = count};
    enum wry_status status = wry_session_verify(&w->rig->session, item, method, &sink);

    *right = w->differing == count_differing(w);
    return status == WRY_DIFFERS ? WRY_OK : status;
}

static enum wry_status perform(struct work *w, bool *right)
{
    struct wry_session *session = &w->rig->session;
    struct wry_writer writer = {.context = w, .write = keep};
    struct wry_placement item = {
        .offset = OFFSET, .length = w->c->length, .reader = rig_reader(w->content)};
    uint8_t digest[WRY_SHA256_SIZE];
    enum wry_status status = WRY_OK;

    switch (w->c->call) {
    case SWEEP_READ:
        status = wry_session_read(session, OFFSET, w->c->length, &writer);
        *right = memcmp(w->got, w->rig->flash + OFFSET, w->c->length) == 0;
        break;
    case SWEEP_BACK_UP:
        status = wry_session_back_up(session, OFFSET, w->c->length, &writer, digest);
        *right = memcmp(w->got, w->rig->flash + OFFSET, w->c->length) == 0;
        break;
    case SWEEP_VERIFY:
        status = verify(w, &item, WRY_VERIFY_DIGEST, right);
        break;
    case SWEEP_READ_BACK:
        status = verify(w, &item, WRY_VERIFY_READ_BACK, right);
        break;
    case SWEEP_ERASE:
        memset(w->content, 0xFF, w->c->length);
        status = write_plan(w, &item);
        *right = rig_holds(w->rig, &item, 1);
        break;
    case SWEEP_WRITE:
    case SWEEP_CALLS:
        status = write_plan(w, &item);
        *right = rig_holds(w->rig, &item, 1);
        break;
    }
    return status;
}

static uint64_t not_blank(const uint8_t *bytes, uint32_t n)
{
    uint64_t used = 0;

    for (uint32_t i = 0; i < n; i++)
        used += bytes[i] != 0xFF;
    return used;
}

/* Bytes of content that have to cross the line: what is in use, and neighbours there and back. */
static uint64_t line_bytes(const struct work *w)
{
    uint32_t end = OFFSET + w->c->length;
    uint32_t first = OFFSET & ~0xFFFu, last = end & ~0xFFFu;
    const uint8_t *before = w->rig->before;
    uint64_t used = not_blank(before + OFFSET, w->c->length);
    uint64_t head = not_blank(before + first, 0x1000), tail = not_blank(before + last, 0x1000);
    uint64_t back =
        not_blank(before + first, OFFSET - first) + not_blank(before + end, last + 0x1000 - end);

    if (w->c->call == SWEEP_WRITE)
        return w->c->length + head + tail + back;
    return w->c->call == SWEEP_ERASE ? head + tail + back : used;
}

/* Erasing and programming of all that is touched. */
static double flash_seconds(const struct work *w)
{
    if (w->c->call < SWEEP_WRITE)
        return 0;
    return (w->c->length / 65536 + 2) * 0.15 + (w->c->length / 256) * 0.0004;
}

static double needed(const struct work *w)
{
    double line = (double)line_bytes(w) * 10 / w->c->speed, flash = flash_seconds(w);

    return line > flash ? line : flash;
}

static double limit(const struct work *w, double time)
{
    bool noisy = w->c->noise->noise_ppb + w->c->noise->lost_ppb > 0;
    /* Of the few frames of a short case, some more than the average may be struck. */
    double chance =
        noisy ? 0.25 + 24 * 274 * 10.0 / w->c->speed + 12 * w->c->latency_ms / 1000.0 : 0;

    return time * w->c->noise->limit_percent / 100 + 1 + chance;
}

static bool pull_cable(void *context, const struct wry_session_progress *progress)
{
    struct rig *rig = context;

    (void)progress;
    if (++rig->reports == rig->stop_after)
        rig->adapter.to_board.cut = rig->adapter.to_host.cut = true;
    return false;
}

struct sweep_result sweep_run(const struct sweep_case *c)
{
    struct work w = {.c = c, .content = malloc(LENGTH_MAX), .got = calloc(1, LENGTH_MAX)};
    struct sweep_result result = {.right = false};
    struct rig_setup setup = {
        .seed = c->seed,
        .flash_size = FLASH_SIZE,
        .max_speed = c->speed,
        .blank = c->fill == SWEEP_BLANK,
        .faults = {.noise_ppb = c->noise->noise_ppb, .lost_ppb = c->noise->lost_ppb}};

    rig_random(w.content, LENGTH_MAX, c->seed + 9);
    w.rig = rig_new(&setup);
    /* Every other board sleeps as long as its loader says, with a watchdog. */
    w.rig->board.sleeps = c->seed % 2 == 1;
    w.rig->board.watchdog = w.rig->board.sleeps ? WATCHDOG : 0;
    w.rig->adapter.inbox.latency = c->latency_ms * UINT64_C(1000000);
    fill_flash(&w);
    result.status = wry_session_connect(&w.rig->session);
    uint64_t begun = w.rig->adapter.now;
    if (c->cut_after > 0) {
        w.rig->reports = 0;
        w.rig->stop_after = c->cut_after;
        w.rig->session.config.progress = pull_cable;
    }
    if (result.status == WRY_OK)
        result.status = perform(&w, &result.right);
    result.right = result.right && w.rig->board.bitten == 0;
    result.seconds = (double)(w.rig->adapter.now - begun) / 1e9;
    result.needed_seconds = needed(&w);
    result.limit_seconds = limit(&w, result.needed_seconds);
    result.steps_down = wry_session_stats(&w.rig->session)->speed_steps_down;
    result.reconnects = wry_session_stats(&w.rig->session)->reconnects;
    rig_free(w.rig);
    free(w.content);
    free(w.got);
    return result;
}
