/*
 * Interrupt anywhere, run again, same result: power cut at any flash operation, link lost at any
 * byte, host killed at any call. Thousands of seeded runs in virtual time; the number of a run that
 * fails is printed, and reproduces it: test_campaign RUN.
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "harness.h"
#include "known.h"
#include "pack/packer.h"
#include "rig.h"
#include "sim/random.h"
#include "through.h"

/* Instrumented programs are slow. */
#ifdef __SANITIZE_ADDRESS__
#define RUNS 800u
#else
#define RUNS 2400u
#endif

enum {
    FLASH_SIZE = 0x80000,
    SECTORS = FLASH_SIZE / 4096,
    PLACEMENTS = 6,
    CUTS = 3, /* at most, one after another */
};

/* A keeper in memory that outlives sessions, as a journal on disk would. */
struct memory {
    bool begun[SECTORS];
    bool has_content[SECTORS];
    struct wry_kept_sector old[SECTORS];
    uint8_t intended[SECTORS][4096];
    unsigned yielded;
};

static bool begin(void *context, const struct wry_run *run, const struct wry_kept_sector *kept,
                  size_t count, const struct wry_reader *intended)
{
    struct memory *memory = context;

    for (uint32_t at = run->start; at < run->end; at += 4096)
        memory->begun[at / 4096] = true;
    for (size_t i = 0; i < count; i++) {
        uint32_t n = kept[i].offset / 4096;
        memory->has_content[n] = true;
        memory->old[n] = kept[i];
        CHECK(intended->read(intended->context, kept[i].offset - run->start, memory->intended[n],
                             4096));
    }
    return true;
}

static bool end(void *context, const struct wry_run *run)
{
    struct memory *memory = context;

    for (uint32_t at = run->start; at < run->end; at += 4096)
        memory->begun[at / 4096] = memory->has_content[at / 4096] = false;
    return true;
}

static enum wry_kept unsettled(void *context, uint32_t offset, uint32_t length)
{
    struct memory *memory = context;

    for (uint32_t at = offset; at < offset + length; at += 4096) {
        if (memory->begun[at / 4096])
            return WRY_KEPT_YES;
    }
    return WRY_KEPT_NO;
}

static enum wry_kept saved(void *context, struct wry_kept_sector *old,
                           uint8_t intended[WRY_SECTOR_SIZE])
{
    struct memory *memory = context;

    for (uint32_t n = 0; n < SECTORS; n++) {
        if (!memory->has_content[n])
            continue;
        *old = memory->old[n];
        memcpy(intended, memory->intended[n], 4096);
        return WRY_KEPT_YES;
    }
    return WRY_KEPT_NO;
}

static bool yield(void *context, uint32_t offset)
{
    struct memory *memory = context;

    memory->has_content[offset / 4096] = memory->begun[offset / 4096] = false;
    memory->yielded++;
    return true;
}

enum {
    MORTAL_PIECE = 128, /* bytes */
};

/* A port that fails for good after a number of pieces: the host process was killed there. */
struct mortal {
    const struct wry_port *inner;
    uint64_t pieces_left;
    struct wry_port port;
};

static enum wry_status mortal_write(void *context, const uint8_t *bytes, size_t n)
{
    struct mortal *mortal = context;

    enum wry_status status = WRY_OK;

    for (size_t at = 0; at < n && status == WRY_OK; at += MORTAL_PIECE) {
        size_t piece = n - at < MORTAL_PIECE ? n - at : MORTAL_PIECE;
        if (mortal->pieces_left == 0)
            return WRY_LINK_LOST;
        mortal->pieces_left--;
        status = mortal->inner->write(mortal->inner->context, bytes + at, piece);
    }
    return status;
}

static enum wry_status mortal_read(void *context, uint8_t *bytes, size_t room, uint64_t deadline,
                                   size_t *got)
{
    struct mortal *mortal = context;

    *got = 0;
    if (mortal->pieces_left == 0)
        return WRY_LINK_LOST;
    return mortal->inner->read(mortal->inner->context, bytes, room, deadline, got);
}

static enum wry_status mortal_set_speed(void *context, uint32_t baud)
{
    struct mortal *mortal = context;

    return mortal->pieces_left == 0 ? WRY_LINK_LOST
                                    : mortal->inner->set_speed(mortal->inner->context, baud);
}

static enum wry_status mortal_set_lines(void *context, bool reset, bool boot)
{
    struct mortal *mortal = context;

    return mortal->pieces_left == 0 ? WRY_LINK_LOST
                                    : mortal->inner->set_lines(mortal->inner->context, reset, boot);
}

static void mortal_sleep(void *context, uint64_t until)
{
    struct mortal *mortal = context;

    if (mortal->pieces_left > 0)
        mortal->inner->sleep(mortal->inner->context, until);
}

struct campaign {
    struct pack *pack; /* NULL: content goes as it is */
    bool differences;
    unsigned differences_sent;
    struct known known;
    struct rig *rig;
    struct memory *memory;
    struct wry_keeper keeper;
    struct mortal mortal;
    struct wry_placement items[PLACEMENTS];
    size_t count;
    struct wry_plan plan;
};

static uint8_t content[0x20000];
static unsigned told_by_difference; /* parts, in all runs */

/* Far apart, or with gaps of less than a sector between them. */
static void make_plan(struct campaign *c, uint64_t *random)
{
    uint32_t at = 0, apart = sim_random(random) % 2 == 0 ? 9000 : 300;
    struct wry_fault fault;

    c->count = 1 + sim_random(random) % PLACEMENTS;
    for (size_t i = 0; i < c->count; i++) {
        at += (uint32_t)(sim_random(random) % apart);
        if (sim_random(random) % 4 == 0)
            at = (at + 4095) & ~4095u;
        c->items[i] = (struct wry_placement){.offset = at,
                                             .length = 1 + (uint32_t)(sim_random(random) % 14000),
                                             .reader = rig_reader(content + 0x4000 * i)};
        at += c->items[i].length;
    }
    CHECK_EQUAL(WRY_OK, wry_plan_init(&c->plan, c->items, c->count, FLASH_SIZE, &fault));
}

/* One of the three ways to be cut, at a random point of the write to come. */
static void arm(struct campaign *c, uint64_t *random)
{
    struct sim_board_faults *faults = &c->rig->board.faults;
    unsigned shorter = c->differences ? 6 : 1; /* is what goes over the line */

    switch (sim_random(random) % 3) {
    case 0:
        faults->power_cut = c->rig->board.die.operations + 1 + sim_random(random) % 60;
        break;
    case 1:
        faults->cable_cut =
            c->rig->adapter.to_board.sent + 1 + sim_random(random) % (20000 / shorter);
        break;
    default:
        c->mortal.pieces_left = 1 + sim_random(random) % (100 / shorter);
        break;
    }
    c->rig->board.die.cut_at_operation = faults->power_cut;
}

/* Power back on, cable back in, a new process. */
static void repair(struct campaign *c)
{
    struct rig *rig = c->rig;

    rig->board.faults.power_cut = rig->board.faults.cable_cut = 0;
    rig->board.die.cut_at_operation = rig->board.die.cut_due = 0;
    rig->adapter.to_board.cut = rig->adapter.to_host.cut = false;
    c->mortal.pieces_left = UINT64_MAX;
    sim_adapter_power(&rig->adapter, true);
    rig_new_session(rig, rig->config.token + 1);
    rig->session.port = &c->mortal.port;
}

static enum wry_status attempt(struct campaign *c, bool armed, uint64_t *random)
{
    enum wry_status status = wry_session_connect(&c->rig->session);

    if (armed)
        arm(c, random);
    if (status == WRY_OK)
        status = wry_session_settle(&c->rig->session, NULL);
    if (status == WRY_OK)
        status = wry_session_write(&c->rig->session, &c->plan);
    c->differences_sent += wry_session_stats(&c->rig->session)->differences;
    return status;
}

/* Old content that new content can be told by. */
static void resemble(struct campaign *c)
{
    for (size_t i = 0; i < FLASH_SIZE; i++)
        c->rig->flash[i] = content[(i + 300) % sizeof content] ^ (i % 89 == 0);
    memcpy(c->rig->before, c->rig->flash, FLASH_SIZE);
}

/* As a new process does: what stood there at first, and guesses with every other seed. */
static void know(struct campaign *c, uint64_t seed)
{
    known_free(&c->known);
    known_init(&c->known, FLASH_SIZE);
    known_add(&c->known, 0, c->rig->before, FLASH_SIZE);
    c->known.guesses = seed % 2 == 1;
    c->rig->config.known = &c->known.known;
}

static void set_up(struct campaign *c, uint64_t seed)
{
    memset(c, 0, sizeof *c);
    c->rig = rig_new(&(struct rig_setup){.seed = seed,
                                         .chip_code = WRY_CHIP_SANDERLING_S1,
                                         .flash_size = FLASH_SIZE,
                                         .blank = seed % 5 == 0,
                                         .faults = {.noise_ppb = seed % 7 == 0 ? 10000 : 0}});
    c->memory = calloc(1, sizeof *c->memory);
    c->keeper = (struct wry_keeper){.context = c->memory,
                                    .begin = begin,
                                    .end = end,
                                    .unsettled = unsettled,
                                    .saved = saved,
                                    .yield = yield};
    c->mortal.inner = &c->rig->adapter.port;
    c->mortal.port = through_port(&c->mortal);
    c->mortal.port.write = mortal_write;
    c->mortal.port.read = mortal_read;
    c->mortal.port.set_speed = mortal_set_speed;
    c->mortal.port.set_lines = mortal_set_lines;
    c->mortal.port.sleep = mortal_sleep;
    c->mortal.port.top_speed = 921600;
    c->rig->config.keeper = &c->keeper;
    c->rig->config.kept_count = seed % 4 == 0 ? 0 : 2 + seed % 4; /* 0: the session's own */
    if (seed % 3 > 0) {                                           /* as a stream */
        c->pack = pack_new();
        c->rig->config.packer = pack_packer(c->pack);
    }
    c->differences = seed % 3 == 2;
    if (c->differences) {
        c->mortal.port.top_speed = 115200; /* where they are the quickest way */
        resemble(c);
        know(c, seed);
    }
}

/* Returns how many attempts were really cut. */
static unsigned run(uint64_t seed)
{
    struct campaign c;
    uint64_t random = seed * 77 + 5;
    unsigned cut = 0;

    set_up(&c, seed);
    make_plan(&c, &random);
    for (uint64_t i = sim_random(&random) % CUTS; i < CUTS; i++) {
        repair(&c);
        if (c.differences)
            know(&c, seed);
        cut += attempt(&c, true, &random) != WRY_OK;
    }
    repair(&c);
    if (c.differences)
        know(&c, seed);
    check_context("run %llu", (unsigned long long)seed);
    CHECK_EQUAL(WRY_OK, attempt(&c, false, &random));
    CHECK(rig_holds(c.rig, c.items, c.count));
    CHECK_EQUAL(0, c.memory->yielded); /* whatever a cut left was known for what it is */
    for (size_t n = 0; n < SECTORS; n++)
        CHECK(!c.memory->begun[n] && !c.memory->has_content[n]);
    told_by_difference += c.differences_sent;
    pack_free(c.pack);
    known_free(&c.known);
    free(c.memory);
    rig_free(c.rig);
    return cut;
}

static void cut_anywhere_and_run_again_ends_in_the_same_flash(void)
{
    unsigned cuts = 0, runs_cut = 0;

    for (uint64_t seed = 0; seed < RUNS; seed++) {
        unsigned n = run(seed);
        cuts += n;
        runs_cut += n > 0;
    }
    printf("%u runs, %u of them cut, %u cuts; %u parts as differences\n", RUNS, runs_cut, cuts,
           told_by_difference);
    CHECK(told_by_difference >= RUNS / 3);
    CHECK(runs_cut >= RUNS * 5 / 6);
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(cut_anywhere_and_run_again_ends_in_the_same_flash),
    };
    rig_random(content, sizeof content, 42);
    /* Every other page repeats itself, so that streams are shorter than what they hold. */
    for (size_t i = 64; i < sizeof content; i++)
        content[i] = i / 256 % 2 == 0 ? content[i] : content[i - 64];
    if (argc == 2 && argv[1][0] >= '0' && argv[1][0] <= '9')
        return run(strtoull(argv[1], NULL, 10)) > CUTS;
    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
