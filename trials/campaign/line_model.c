/*
 * Interrupt anywhere, run again, same result, at the level of a session: power cut at any flash
 * operation, link lost at any byte, reset or killed at any piece. The journal is one in memory.
 */
#include <stdlib.h>
#include <string.h>

#include "known.h"
#include "names.h"
#include "pack/content_packer.h"
#include "port_filter.h"
#include "rig.h"
#include "schedule.h"
#include "sim/random.h"

enum {
    FLASH_SIZE = 0x80000,
    SECTORS = FLASH_SIZE / 4096,
    CUTS = 3, /* at most, one after another */
};

/* A journal in memory that outlives sessions, as a journal on disk would. */
struct memory {
    bool begun[SECTORS];
    bool has_content[SECTORS];
    struct wry_journal_sector old[SECTORS];
    uint8_t intended[SECTORS][4096];
    unsigned yielded;
};

static bool begin(void *context, const struct wry_span *span, const struct wry_journal_sector *kept,
                  size_t count, const struct wry_reader *intended)
{
    struct memory *memory = context;

    for (uint32_t at = span->start; at < span->end; at += 4096)
        memory->begun[at / 4096] = true;
    for (size_t i = 0; i < count; i++) {
        uint32_t n = kept[i].offset / 4096;
        memory->has_content[n] = true;
        memory->old[n] = kept[i];
        if (!intended->read(intended->context, kept[i].offset - span->start, memory->intended[n],
                            4096))
            wrong("the intended content cannot be read");
    }
    return true;
}

static bool end(void *context, const struct wry_span *span)
{
    struct memory *memory = context;

    for (uint32_t at = span->start; at < span->end; at += 4096)
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

static enum wry_kept saved(void *context, struct wry_journal_sector *old,
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

struct campaign;

/* A port that fails for good after a number of pieces: the host process was killed there. */
struct mortal {
    const struct wry_port *inner;
    uint64_t pieces_left;
    struct wry_port port;
    struct campaign *campaign;
};

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

/* A dead process waits for nothing, but the session's patience has to end. */
static void mortal_sleep(void *context, uint64_t until)
{
    struct mortal *mortal = context;

    mortal->inner->sleep(mortal->inner->context, until);
}

static enum wry_status mortal_reopen(void *context)
{
    struct mortal *mortal = context;

    return mortal->pieces_left == 0 ? WRY_LINK_LOST : mortal->inner->reopen(mortal->inner->context);
}

struct campaign {
    unsigned reset_after; /* pieces said; 0 = never */
    unsigned resets;
    struct pack *pack; /* NULL: content goes as it is */
    bool differences;
    bool unplugs; /* the adapter, where others pull the cable */
    enum work work;
    struct known known;
    struct rig *rig;
    struct memory *memory;
    struct wry_journal journal;
    struct mortal mortal;
    struct wry_placement items[ITEMS_MOST];
    size_t count;
    struct wry_plan plan;
};

static uint8_t content[0x20000];

/* Somebody presses the button; the loader is gone, and the firmware starts, if there is one. */
static void press_reset(struct campaign *c)
{
    struct sim_board *board = &c->rig->board;

    if (c->reset_after == 0 || --c->reset_after > 0)
        return;
    sim_board_lines(board, true, board->boot_line, c->rig->adapter.now);
    sim_board_lines(board, false, board->boot_line, c->rig->adapter.now);
    c->resets++;
}

static enum wry_status mortal_write(void *context, const uint8_t *bytes, size_t n)
{
    struct mortal *mortal = context;

    enum wry_status status = WRY_OK;

    for (size_t at = 0; at < n && status == WRY_OK; at += MORTAL_PIECE) {
        size_t piece = n - at < MORTAL_PIECE ? n - at : MORTAL_PIECE;
        if (mortal->pieces_left == 0)
            return WRY_LINK_LOST;
        mortal->pieces_left--;
        press_reset(mortal->campaign);
        status = mortal->inner->write(mortal->inner->context, bytes + at, piece);
    }
    return status;
}

/* Far apart, or with gaps of less than a sector between them. */
static void make_plan(struct campaign *c, const struct schedule *schedule, uint64_t *random)
{
    uint32_t at = 0, apart = sim_random(random) % 2 == 0 ? 9000 : 300;
    size_t drawn = 1 + sim_random(random) % ITEMS_MOST;
    struct wry_fault fault;

    for (size_t i = 0; i < drawn; i++) {
        at += (uint32_t)(sim_random(random) % apart);
        if (sim_random(random) % 4 == 0)
            at = (at + 4095) & ~4095u;
        struct wry_placement item = {.offset = at,
                                     .length = 1 + (uint32_t)(sim_random(random) % 14000),
                                     .reader = rig_reader(content + 0x4000 * i)};
        at += item.length;
        if (has(schedule, ELEMENT_ITEM + (unsigned)i))
            c->items[c->count++] = item;
    }
    if (c->count > 0 && wry_plan_init(&c->plan, c->items, c->count, FLASH_SIZE, &fault) != WRY_OK)
        wrong("the plan is none");
}

/* One of the ways to be cut, at a random point of the write to come. */
static enum fault arm(struct campaign *c, uint64_t *random)
{
    struct sim_board_faults *faults = &c->rig->board.faults;
    unsigned shorter = c->differences ? 6 : 1; /* is what goes over the line */
    uint64_t at = sim_random(random);
    enum fault fault = FAULT_NONE;

    switch (sim_random(random) % 4) {
    case 0:
        faults->power_cut = c->rig->board.die.operations + 1 + at % 60;
        fault = FAULT_POWER;
        break;
    case 1:
        if (c->unplugs) {
            c->rig->adapter.unplugged = false;
            faults->unplugged = c->rig->adapter.to_board.sent + 1 + at % (20000 / shorter);
            fault = FAULT_ADAPTER;
            break;
        }
        faults->cable_cut = c->rig->adapter.to_board.sent + 1 + at % (20000 / shorter);
        fault = FAULT_CABLE;
        break;
    case 2:
        c->reset_after = 1 + (unsigned)(at % (100 / shorter));
        fault = FAULT_RESET;
        break;
    default:
        c->mortal.pieces_left = 1 + at % (100 / shorter);
        fault = FAULT_HOST;
        break;
    }
    c->rig->board.die.cut_at_operation = faults->power_cut;
    return fault;
}

/* Power back on, cable back in, a new process. */
static void repair(struct campaign *c)
{
    struct rig *rig = c->rig;

    rig->board.faults.power_cut = rig->board.faults.cable_cut = rig->board.faults.unplugged = 0;
    rig->adapter.back_at = 0;
    rig->board.die.cut_at_operation = rig->board.die.cut_due = 0;
    rig->adapter.to_board.cut = rig->adapter.to_host.cut = false;
    c->mortal.pieces_left = UINT64_MAX;
    c->reset_after = 0;
    sim_adapter_power(&rig->adapter, true);
    rig_new_session(rig, rig->config.token + 1);
    rig->session.port = &c->mortal.port;
}

static enum wry_status attempt(struct campaign *c, bool armed, uint64_t *random)
{
    enum wry_status status = wry_session_connect(&c->rig->session);
    enum fault fault = armed ? arm(c, random) : FAULT_NONE;
    unsigned resets = c->resets;

    if (armed)
        tried(fault);
    if (status == WRY_OK)
        status = wry_session_recover(&c->rig->session, NULL);
    if (status == WRY_OK)
        status = wry_session_write(&c->rig->session, &c->plan);
    /* One that comes back strikes as well when the work is done all the same. */
    if (armed && (status != WRY_OK || c->resets > resets || c->rig->adapter.unplugged))
        struck(fault);
    if (armed)
        say_step("%s: %s", fault_names[fault], wry_status_text(status));
    atomic_fetch_add(&tally->parts_differing, wry_session_stats(&c->rig->session)->differences);
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
    known_add(&c->known, 0, c->rig->before, sizeof content);
    c->known.guesses = seed % 2 == 1;
    c->rig->config.known = &c->known.known;
}

static void set_up(struct campaign *c, const struct schedule *schedule)
{
    uint64_t seed = schedule->seed;
    bool noisy = seed % 7 == 0 && has(schedule, ELEMENT_NOISE),
         coded = has(schedule, ELEMENT_CODING);

    memset(c, 0, sizeof *c);
    c->rig = rig_new(&(struct rig_setup){.seed = seed,
                                         .chip_code = WRY_CHIP_SANDERLING_S1,
                                         .flash_size = FLASH_SIZE,
                                         .blank = seed % 5 == 0,
                                         .faults = {.noise_ppb = noisy ? 10000 : 0}});
    c->unplugs = seed % 11 == 3;
    c->rig->board.die.weak_cuts = seed % 2 == 0;
    c->memory = calloc(1, sizeof *c->memory);
    c->journal = (struct wry_journal){.context = c->memory,
                                      .begin = begin,
                                      .end = end,
                                      .unsettled = unsettled,
                                      .saved = saved,
                                      .yield = yield};
    c->mortal.campaign = c;
    c->mortal.inner = &c->rig->adapter.port;
    c->mortal.port = port_filter(&c->mortal);
    c->mortal.port.write = mortal_write;
    c->mortal.port.read = mortal_read;
    c->mortal.port.set_speed = mortal_set_speed;
    c->mortal.port.set_lines = mortal_set_lines;
    c->mortal.port.sleep = mortal_sleep;
    c->mortal.port.reopen = mortal_reopen;
    c->mortal.port.top_speed = 921600;
    c->rig->config.journal = &c->journal;
    c->rig->config.kept_count = seed % 4 == 0 ? 0 : 2 + seed % 4; /* 0: the session's own */
    if (seed % 3 > 0 && coded) {                                  /* as a stream */
        c->pack = pack_new();
        c->rig->config.packer = pack_packer(c->pack);
    }
    c->differences = seed % 3 == 2 && coded;
    if (c->differences) {
        c->mortal.port.top_speed = 115200; /* where they are the quickest way */
        resemble(c);
        know(c, seed);
    }
    if (noisy)
        tried(FAULT_NOISE);
    c->work = c->differences ? WORK_DIFFERENCE : c->pack ? WORK_STREAM : WORK_PAGES;
    atomic_fetch_add(&tally->work_tried[c->work], 1);
}

static void clear(struct campaign *c)
{
    pack_free(c->pack);
    known_free(&c->known);
    free(c->memory);
    rig_free(c->rig);
}

static void hold(const struct campaign *c)
{
    if (sim_nor_die_age(&c->rig->board.die))
        wrong("an erase that was cut reads as blank, and was believed");
    if (!rig_holds(c->rig, c->items, c->count))
        wrong("the flash is not as it should be");
    /* Whatever a cut left was known for what it is. */
    if (c->memory->yielded > 0)
        wrong("%u sectors were taken for somebody's newer work", c->memory->yielded);
    for (size_t n = 0; n < SECTORS; n++) {
        if (c->memory->begun[n] || c->memory->has_content[n])
            wrong("sector %zu is not settled", n);
    }
}

void wire_run(const struct schedule *schedule)
{
    static struct campaign c;
    uint64_t random = schedule->seed * 77 + 5;

    set_up(&c, schedule);
    make_plan(&c, schedule, &random);
    for (uint64_t i = sim_random(&random) % CUTS; i < CUTS && c.count > 0; i++) {
        uint64_t own = sim_random(&random);
        if (!has(schedule, ELEMENT_STEP + (unsigned)i))
            continue;
        repair(&c);
        if (c.differences)
            know(&c, schedule->seed);
        attempt(&c, true, &own);
    }
    repair(&c);
    if (c.differences)
        know(&c, schedule->seed);
    enum wry_status status = c.count > 0 ? attempt(&c, false, &random) : WRY_OK;
    if (status != WRY_OK)
        wrong("run again, it ends with %s", wry_status_text(status));
    hold(&c);
    atomic_fetch_add(&tally->work_done[c.work], 1);
    clear(&c);
}

void wire_prepare(void)
{
    rig_random(content, sizeof content, 42);
    /* Every other page repeats itself, so that streams are shorter than what they hold. */
    for (size_t i = 64; i < sizeof content; i++)
        content[i] = i / 256 % 2 == 0 ? content[i] : content[i - 64];
}
