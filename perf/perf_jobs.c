/*
 * Jobs other than one large write: erasing, putting back, verifying, many small pieces, odd
 * offsets, in simulated time, compared with max(line, flash, digest) of the work.
 *
 * The line carries what zlib's best stream makes of content that differs; the flash takes its best
 * erase units and a program time for each page that is not blank; the board hashes each byte once
 * and reads it for that. Neighbours, headers and round trips are in what is measured and not in the
 * limit.
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <zlib.h>

#include "demo/firmware_like.h"
#include "pack/content_packer.h"
#include "tests/rig.h"

enum {
    FLASH = 0x400000,
    USED = 0x1A0000,
    PIECES = 1000,
};

static uint8_t content[FLASH];

struct job {
    const char *name;
    uint32_t speed;
    uint32_t offset, length; /* of each piece */
    uint32_t step;           /* from piece to piece */
    unsigned pieces;
    unsigned latency_ms;                   /* 0: 2 */
    bool blank_content, blank_flash, same; /* same: the flash holds it already */
    bool sparse;                           /* as a board's whole flash is: mostly blank */
    bool reads;                            /* it is backed up instead of written */
    bool verifies;
};

static void fail(const char *what)
{
    fprintf(stderr, "perf: %s failed\n", what);
    exit(1);
}

static double line_time(const struct job *job, const uint8_t *bytes)
{
    uint32_t n = job->length * job->pieces;
    uint8_t *joined = malloc(n), *packed;
    uLongf size = compressBound(n);

    if (job->blank_content || job->same || job->verifies || (job->reads && job->blank_flash)) {
        free(joined);
        return 0;
    }
    packed = malloc(size);
    for (unsigned i = 0; i < job->pieces; i++)
        memcpy(joined + (size_t)i * job->length, bytes + i * job->step, job->length);
    if (compress2(packed, &size, joined, n, 9) != Z_OK)
        fail("zlib");
    free(joined);
    free(packed);
    return (double)size * 10 / job->speed;
}

/* s for one stretch of whole sectors. */
static double erase_time(uint32_t start, uint32_t end)
{
    double time = 0;

    for (uint32_t at = start; at < end;) {
        uint32_t n = at % 0x10000 == 0 && end - at >= 0x10000 ? 0x10000
                     : at % 0x8000 == 0 && end - at >= 0x8000 ? 0x8000
                                                              : 0x1000;
        time += n == 0x10000 ? 0.150 : n == 0x8000 ? 0.120 : 0.045;
        at += n;
    }
    return time;
}

static uint32_t pages_with_content(const struct job *job, const uint8_t *bytes)
{
    uint32_t count = 0;

    for (uint32_t i = 0; job->sparse && i < job->length; i += 256)
        count += !wry_bytes_blank(bytes + i, 256);
    return job->sparse ? count : (job->offset + job->length + 255) / 256 - job->offset / 256;
}

static double flash_time(const struct job *job, const uint8_t *bytes)
{
    uint32_t end = job->offset + job->length, pages = pages_with_content(job, bytes);
    double program = job->blank_content ? 0 : pages * 0.0004;
    /* Less than a sector apart, all are one run. */
    bool touching = job->pieces > 1 && job->step - job->length < 0x1000;

    if (job->same || job->reads || job->verifies)
        return 0;
    if (job->blank_flash)
        return program * job->pieces;
    if (touching)
        return program * job->pieces +
               erase_time(job->offset, job->offset + job->step * job->pieces);
    return (program + erase_time(job->offset & ~0xFFFu, (end + 0xFFF) & ~0xFFFu)) * job->pieces;
}

static bool drop(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    (void)context;
    (void)offset;
    (void)bytes;
    (void)n;
    return true;
}

static enum wry_status perform(struct rig *rig, const struct job *job, struct wry_placement *items)
{
    struct wry_writer writer = {.write = drop};
    struct wry_plan plan;
    struct wry_fault fault;
    uint8_t digest[WRY_SHA256_SIZE];

    if (job->reads)
        return wry_session_back_up(&rig->session, job->offset, job->length, &writer, digest);
    if (job->verifies)
        return wry_session_verify(&rig->session, items, WRY_VERIFY_DIGEST, NULL);
    if (wry_plan_init(&plan, items, job->pieces, FLASH, &fault) != WRY_OK)
        fail("planning");
    return wry_session_write(&rig->session, &plan);
}

/* Leaves a start program, settings, an application of 900 KiB and a log. */
static void thin_out(void)
{
    static const uint32_t blank[][2] = {{0, 0x4000},
                                        {0xE000, 0x10000},
                                        {0x14000, 0x40000},
                                        {0x121000, 0x1C0000},
                                        {0x1D0000, FLASH}};

    for (size_t i = 0; i < sizeof blank / sizeof blank[0]; i++)
        memset(content + blank[i][0], 0xFF, blank[i][1] - blank[i][0]);
}

static void run(const struct job *job)
{
    struct rig *rig =
        rig_new(&(struct rig_setup){.seed = 1, .blank = job->blank_flash, .max_speed = job->speed});
    struct pack *pack = pack_new();
    struct wry_placement *items = calloc(job->pieces, sizeof *items);

    if (job->blank_content)
        memset(content, 0xFF, sizeof content);
    else
        fill_like_firmware(content, sizeof content, 3);
    if (job->sparse)
        thin_out();
    for (unsigned i = 0; i < job->pieces; i++) {
        items[i] = (struct wry_placement){.offset = job->offset + i * job->step,
                                          .length = job->length,
                                          .reader = rig_reader(content + i * job->step)};
        if (job->same || job->verifies)
            memcpy(rig->flash + items[i].offset, content + i * job->step, job->length);
    }
    memcpy(rig->before, rig->flash, FLASH);
    rig->adapter.inbox.latency = (job->latency_ms > 0 ? job->latency_ms : 2) * 1000000ull;
    rig->config.packer = pack_packer(pack);
    rig_new_session(rig, 4);
    if (wry_session_connect(&rig->session) != WRY_OK)
        fail("connecting");
    uint64_t begun = rig->adapter.now;
    if (perform(rig, job, items) != WRY_OK || (!job->reads && !rig_holds(rig, items, job->pieces)))
        fail(job->name);
    double measured = (double)(rig->adapter.now - begun) / 1e9;
    double line = line_time(job, content), flash = flash_time(job, content);
    double digest = (double)job->length * job->pieces * (80 / 160e6 + 8 / (4 * 80e6));
    double limit = line > flash ? line : flash;
    limit = digest > limit ? digest : limit;
    printf("%-34s %8u %8.3f s %8.3f s %8.3f s %8.3f s %8.3f\n", job->name, (unsigned)job->speed,
           measured, line, flash, digest, measured / limit);
    free(items);
    pack_free(pack);
    rig_free(rig);
}

int main(void)
{
    static const uint32_t speeds[] = {115200, 921600, 2000000}, lengths[] = {0xC811, 0x1CC11};
    static const struct job jobs[] = {
        {.name = "erase of 4 MiB, full", .length = FLASH, .pieces = 1, .blank_content = true},
        {.name = "erase of 4 MiB, blank already",
         .length = FLASH,
         .pieces = 1,
         .blank_content = true,
         .blank_flash = true},
        {.name = "restore of 1.6 MiB to a blank board",
         .length = USED,
         .pieces = 1,
         .blank_flash = true},
        {.name = "restore of 1.6 MiB to a used one", .length = USED, .pieces = 1},
        {.name = "restore of 4 MiB to a blank board",
         .length = FLASH,
         .pieces = 1,
         .blank_flash = true,
         .sparse = true},
        {.name = "restore of 4 MiB to a used board", .length = FLASH, .pieces = 1, .sparse = true},
        {.name = "restore of what is there", .length = USED, .pieces = 1, .same = true},
        {.name = "verify of 1.6 MiB", .length = USED, .pieces = 1, .verifies = true},
        {.name = "backup of 4 MiB, blank",
         .length = FLASH,
         .pieces = 1,
         .reads = true,
         .blank_flash = true},
        {.name = "1,000 placements of a sector",
         .length = 0x1000,
         .step = 0x1000,
         .pieces = PIECES},
        {.name = "20 pieces with gaps of 16 bytes",
         .length = 0xBFF0,
         .step = 0xC000,
         .pieces = 20}};

    printf("Jobs compared with their limits, 2 ms latency where no other is named\n\n");
    printf("%-34s %8s %10s %10s %10s %10s %8s\n", "job", "baud", "measured", "line", "flash",
           "digest", "ratio");
    for (size_t i = 0; i < sizeof jobs / sizeof jobs[0]; i++) {
        for (size_t s = 0; s < sizeof speeds / sizeof speeds[0]; s++) {
            struct job job = jobs[i];
            job.speed = speeds[s];
            run(&job);
        }
    }
    for (size_t i = 0; i < sizeof lengths / sizeof lengths[0]; i++) {
        for (size_t s = 0; s < sizeof speeds / sizeof speeds[0]; s++)
            run(&(struct job){.name =
                                  i == 0 ? "50 KiB at an odd offset" : "115 KiB at an odd offset",
                              .speed = speeds[s],
                              .offset = 0x41237,
                              .length = lengths[i],
                              .pieces = 1});
    }
    for (uint32_t i = 0; i < 2; i++) {
        for (size_t s = 0; s < sizeof speeds / sizeof speeds[0]; s++)
            run(&(struct job){.name = i == 0 ? "42 KB, 100 ms latency"
                                             : "42 KB, 100 ms, at an odd offset",
                              .speed = speeds[s],
                              .offset = 0x41000 + i * 0x237,
                              .length = 42000,
                              .pieces = 1,
                              .latency_ms = 100});
    }
    return 0;
}
