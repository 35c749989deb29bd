/*
 * Jobs of two computers on one board, with journals, indexes and ledgers on a disk. Each computer
 * has a bench of its own, on which the same flash is.
 *
 * Each computer works in an area of its own. Where a step fails, its next one does the same job
 * again. Whenever a job is called done, its area holds what it should; whatever is not in the area
 * of a job that is still to be done is as it was, at every moment.
 */
#include <glib.h>
#include <glib/gstdio.h>
#include <sqlite3.h>
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "bench/bench_folder.h"
#include "fault_calls.h"
#include "jobs/station/station_problem.h"
#include "names.h"
#include "rig.h"
#include "schedule.h"
#include "sim/random.h"
#include "store/file/file_kind.h"
#include "wrytograph-host/card.h"
#include "wrytograph-host/jobs.h"
#include "wrytograph-host/ledger.h"

enum {
    FLASH_SIZE = 0x80000,
    COMPUTERS = 2,
    AREA = 0x20000, /* bytes, of each computer */
    LENGTH_MOST = 12000,
    LOOKS_LIKE_CODE = 0x40000 - 2 * LENGTH_MOST, /* from there on in content */
    LOCK_ASKS = 2, /* times that somebody who waits is asked whether to stop */
    DONE = 10,     /* exit codes of a step's process, beside FAULT_KILLED */
    NOT_DONE = 11,
};

/* What one computer is to do. */
struct job {
    enum work work;
    bool open;               /* begun and not done */
    uint32_t offset, length; /* in flash */
    uint32_t from;           /* in content */
};

/* All that a step's process is told. */
struct step {
    unsigned computer;
    enum fault fault;
    uint64_t at; /* how far it comes before */
};

struct desk {
    const char *folder;
    char *flash; /* the board's, which each computer has on a bench of its own */
    struct bench_description description;
    struct job jobs[COMPUTERS];
    uint8_t *expected; /* the flash, but for areas of open jobs */
    bool archived[COMPUTERS];
    uint8_t *archive; /* what stood in the areas when they were backed up */
    bool ledger;
    uint32_t max_speed;
    unsigned killed[COMPUTERS];
    bool remembered[COMPUTERS]; /* what was done may still stand in the journal, and is settled */
    bool stores_hurt;           /* a step's stores failed: what is on record is not all */
};

static uint8_t before[FLASH_SIZE], content[0x40000];

/* Somebody who watches the station at work. */
struct watcher {
    struct wry_station *station;
    unsigned reset_at, kill_at, events;
    unsigned asks, stop_after;
};

static char *own_file(const struct desk *desk, unsigned computer, const char *name)
{
    return g_strdup_printf("%s/pc-%u/%s", desk->folder, computer, name);
}

static char *bench_of(const struct desk *desk, unsigned computer)
{
    return own_file(desk, computer, "bench");
}

static void on_event(void *context, const struct wry_event *event)
{
    struct watcher *watcher = context;

    (void)event;
    watcher->events++;
    if (watcher->events == watcher->kill_at)
        _exit(FAULT_KILLED);
    if (watcher->events == watcher->reset_at && watcher->station->bench) {
        struct sim_adapter *adapter = bench_adapter(watcher->station->bench);
        sim_board_lines(adapter->board, true, adapter->board->boot_line, adapter->now);
        sim_board_lines(adapter->board, false, adapter->board->boot_line, adapter->now);
        struck(FAULT_RESET);
    }
}

static bool asks_to_stop(void *context)
{
    struct watcher *watcher = context;

    return watcher->stop_after > 0 && ++watcher->asks > watcher->stop_after;
}

/* Another program that has a store for itself. */
static sqlite3 *hold_store(const char *path)
{
    sqlite3 *db = NULL;

    if (g_file_test(path, G_FILE_TEST_EXISTS) && sqlite3_open(path, &db) == SQLITE_OK)
        sqlite3_exec(db, "BEGIN EXCLUSIVE", NULL, NULL, NULL);
    return db;
}

/* The jobs. */

static enum wry_outcome write_image(struct wry_station *station, const char *file, uint32_t offset)
{
    g_autofree char *place = g_strdup_printf("0x%X", offset);
    struct wry_image_options image = {.place = place, .file = file};
    struct wry_images_options options = {.images = &image, .image_count = 1, .any_content = true};
    struct wry_write_result result = {0};
    enum wry_outcome outcome = wry_station_write(station, &options, &result);

    atomic_fetch_add(&tally->parts_differing, result.done.differences);
    wry_write_result_clear(&result);
    return outcome;
}

static enum wry_outcome back_up(struct wry_station *station, const char *file, unsigned computer)
{
    g_autofree char *part = g_strdup_printf("0x%X+0x%X", computer * AREA, AREA);
    const char *const parts[] = {part, NULL};
    struct wry_backup_options options = {.file = file, .parts = parts};
    struct wry_backup_result result = {0};

    g_unlink(file); /* of a process that was killed right behind it */
    enum wry_outcome outcome = wry_station_backup(station, &options, &result);
    wry_backup_result_clear(&result);
    return outcome;
}

static enum wry_outcome restore(struct wry_station *station, const char *file)
{
    struct wry_restore_options options = {.file = file, .without_backup = true};
    struct wry_restore_result result = {0};

    return wry_station_restore(station, &options, &result);
}

static enum wry_outcome erase(struct wry_station *station, const struct job *job)
{
    g_autofree char *part = g_strdup_printf("0x%X+0x%X", job->offset, job->length);
    const char *const parts[] = {part, NULL};
    struct wry_erase_options options = {.parts = parts, .without_backup = true};
    struct wry_erase_result result = {0};

    return wry_station_erase(station, &options, &result);
}

static enum wry_outcome run_card(struct wry_station *station, const char *file)
{
    g_autoptr(GError) error = NULL;
    GPtrArray *mistakes = NULL;
    struct wry_card *card = wry_card_open(file, NULL, &mistakes, &error);

    if (mistakes)
        g_ptr_array_unref(mistakes);
    if (!card)
        return WRY_OUTCOME_BAD_INPUT;
    struct wry_run_options options = {.card = card};
    struct wry_run_result result = {0};
    enum wry_outcome outcome = wry_station_run(station, &options, &result);
    wry_run_result_clear(&result);
    wry_card_close(card);
    return outcome;
}

static enum wry_outcome do_job(struct desk *desk, struct wry_station *station, unsigned computer)
{
    const struct job *job = &desk->jobs[computer];
    g_autofree char *image = own_file(desk, computer, "image.bin");
    g_autofree char *archive = own_file(desk, computer, "area.zip");
    g_autofree char *card = own_file(desk, computer, "card.yaml");

    switch (job->work) {
    case WORK_RESTORE:
        return restore(station, archive);
    case WORK_CARD:
        return run_card(station, card);
    case WORK_ERASE:
        return erase(station, job);
    case WORK_BACKUP:
        return back_up(station, archive, computer);
    default:
        return write_image(station, image, job->offset);
    }
}

/* What goes wrong in this step, made ready in its own process. */
static void arm(const struct desk *desk, const struct step *step, struct watcher *watcher)
{
    static const char *const stores[] = {"bench/gauge/journal.db", "ledger.db", "bench/known.db"};
    g_autofree char *call = NULL;
    g_autofree char *store = own_file(desk, step->computer, stores[step->at % 3]);

    switch (step->fault) {
    case FAULT_RESET:
        watcher->reset_at = 2 + (unsigned)(step->at % 30);
        break;
    case FAULT_HOST:
        watcher->kill_at = 1 + (unsigned)(step->at % 40);
        break;
    case FAULT_CALL:
        call = g_strdup_printf("%s:%u!", step->at % 2 ? "write" : "sync",
                               1 + (unsigned)(step->at / 2 % (step->at % 2 ? 120 : 20)));
        break;
    case FAULT_DISK:
        call = g_strdup_printf("write:%u+", 1 + (unsigned)(step->at % 150));
        break;
    case FAULT_LOCK:
        hold_store(store);
        watcher->stop_after = LOCK_ASKS;
        break;
    default:
        break;
    }
    if (call)
        fault_arm(call);
}

/* In a process of its own, as a command is. */
static _Noreturn void live(struct desk *desk, const struct step *step)
{
    struct watcher watcher = {0};
    g_autofree char *bench = bench_of(desk, step->computer);
    struct wry_station_settings settings = {.link = "bench:gauge",
                                            .bench_folder = bench,
                                            .max_speed = desk->max_speed,
                                            .context = &watcher,
                                            .event = on_event,
                                            .stop = {.context = &watcher, .asked = asks_to_stop}};
    g_autofree char *ledger = own_file(desk, step->computer, "ledger.db");

    if (step->fault == FAULT_WIRING)
        settings.wiring = wry_wiring_at(1 + step->at % 2);
    arm(desk, step, &watcher);
    if (desk->ledger)
        settings.ledger = wry_ledger_open(ledger, NULL);
    watcher.station = wry_station_new(&settings);
    enum wry_outcome outcome = do_job(desk, watcher.station, step->computer);
    const struct wry_problem *problem = wry_station_problem(watcher.station);
    if (outcome != WRY_OUTCOME_DONE)
        say_step("  problem %d, status %d, %s", problem->kind, problem->status,
                 problem->cause ? problem->cause->message : "");
    wry_station_free(watcher.station);
    wry_ledger_close(settings.ledger);
    _exit(outcome == WRY_OUTCOME_DONE ? DONE : NOT_DONE);
}

/* The schedule. */

static void take_cells(const struct desk *desk, uint8_t *flash)
{
    FILE *file = fopen(desk->flash, "rb");

    size_t n = file ? fread(flash, 1, FLASH_SIZE, file) : 0;

    if (file)
        fclose(file);
    if (n != FLASH_SIZE)
        wrong("the board's flash cannot be read");
}

/* All that no open job is at work on. */
static void hold(const struct desk *desk)
{
    static uint8_t flash[FLASH_SIZE];

    take_cells(desk, flash);
    for (uint32_t at = 0; at < FLASH_SIZE; at += WRY_SECTOR_SIZE) {
        bool open = at < COMPUTERS * AREA && desk->jobs[at / AREA].open;
        if (!open && memcmp(flash + at, desk->expected + at, WRY_SECTOR_SIZE) != 0)
            wrong("the flash is not as it should be from 0x%X on", at);
    }
}

/* A card refuses an image that is surely no firmware, as made-up content may be by chance. */
static bool is_refused(const struct job *job)
{
    enum wry_content found = WRY_CONTENT_ANY;

    return job->work == WORK_CARD &&
           !(content_recognise("image.bin", content + job->from,
                               MIN(job->length, CONTENT_LOOKED_AT), &found, NULL) &&
             found == WRY_CONTENT_ANY);
}

static void choose_job(struct desk *desk, unsigned computer, uint64_t *random)
{
    static const enum work works[] = {WORK_WRITE, WORK_WRITE,   WORK_WRITE, WORK_CARD,
                                      WORK_ERASE, WORK_RESTORE, WORK_BACKUP};
    struct job *job = &desk->jobs[computer];
    g_autofree char *image = own_file(desk, computer, "image.bin");
    g_autofree char *card = own_file(desk, computer, "card.yaml");

    *job = (struct job){.work = works[sim_random(random) % G_N_ELEMENTS(works)]};
    if (job->work == WORK_RESTORE && !desk->archived[computer])
        job->work = WORK_BACKUP;
    else if (job->work == WORK_BACKUP && desk->archived[computer])
        job->work = WORK_RESTORE;
    job->length = 1 + (uint32_t)(sim_random(random) % LENGTH_MOST);
    job->offset = computer * AREA + (uint32_t)(sim_random(random) % (AREA - LENGTH_MOST));
    job->from = (uint32_t)(sim_random(random) % (sizeof content - LENGTH_MOST));
    if (job->work == WORK_CARD) /* what looks like text is refused there */
        job->from = LOOKS_LIKE_CODE + job->from % (LENGTH_MOST / 2);
    for (unsigned i = 0; i < 100 && is_refused(job); i++)
        job->from++;
    if (job->work == WORK_ERASE) {
        job->offset &= ~(WRY_SECTOR_SIZE - 1);
        job->length = (job->length | (WRY_SECTOR_SIZE - 1)) + 1;
    }
    g_autofree char *text =
        g_strdup_printf("card: Pier\nchip: sanderling-s1\nflash: 512KiB\nbackup: {when: never}\n"
                        "write:\n  - {offset: 0x%X, file: image.bin}\n",
                        job->offset);
    if (!g_file_set_contents(image, (const char *)content + job->from, (gssize)job->length, NULL) ||
        !g_file_set_contents(card, text, -1, NULL))
        wrong("the job's files cannot be made");
}

/* What the flash holds once it is done. */
static void apply(struct desk *desk, unsigned computer)
{
    struct job *job = &desk->jobs[computer];

    switch (job->work) {
    case WORK_RESTORE:
        memcpy(desk->expected + computer * AREA, desk->archive + computer * AREA, AREA);
        break;
    case WORK_ERASE:
        memset(desk->expected + job->offset, 0xFF, job->length);
        break;
    case WORK_BACKUP:
        desk->archived[computer] = true;
        memcpy(desk->archive + computer * AREA, desk->expected + computer * AREA, AREA);
        break;
    default:
        memcpy(desk->expected + job->offset, content + job->from, job->length);
        break;
    }
}

static void set_faults(struct desk *desk, const struct step *step)
{
    GError *error = NULL;
    struct bench_description now = desk->description;
    g_autofree char *bench = bench_of(desk, step->computer);

    if (step->fault == FAULT_POWER)
        now.faults.power_cut = 1 + step->at % 40;
    if (step->fault == FAULT_CABLE)
        now.faults.cable_cut = 1 + step->at % 12000;
    if (!bench_save(bench, "gauge", &now, &error))
        wrong("%s", error->message);
}

/* True when its job was done. */
static bool take_step(struct desk *desk, const struct step *step)
{
    static uint8_t as_it_was[FLASH_SIZE], is[FLASH_SIZE];
    struct job *job = &desk->jobs[step->computer];
    int status = 0;

    set_faults(desk, step);
    if (step->fault == FAULT_WIRING)
        take_cells(desk, as_it_was);
    tried(step->fault);
    atomic_fetch_add(&tally->work_tried[job->work], 1);
    atomic_fetch_add(&tally->other_computer, step->computer);
    fflush(stdout);
    pid_t process = fork();
    if (process == 0)
        live(desk, step);
    waitpid(process, &status, 0);
    int code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    say_step("computer %u, %s, %s: %s", step->computer, work_names[job->work],
             fault_names[step->fault],
             code == DONE           ? "done"
             : code == NOT_DONE     ? "not done"
             : code == FAULT_KILLED ? "killed"
                                    : "broken");
    if (code != DONE && code != NOT_DONE && code != FAULT_KILLED)
        wrong("a process ended with status 0x%X", (unsigned)status);
    if (code != DONE && step->fault != FAULT_NONE && step->fault != FAULT_RESET)
        struck(step->fault);
    if (step->fault == FAULT_WIRING && code == DONE)
        wrong("a board that cannot be reset was worked on");
    bool changes = job->work != WORK_BACKUP || desk->remembered[step->computer];
    job->open = code != DONE && changes && (job->open || step->fault != FAULT_WIRING);
    desk->remembered[step->computer] =
        code == DONE ? step->fault == FAULT_DISK : desk->remembered[step->computer];
    desk->killed[step->computer] += code == FAULT_KILLED;
    if (code == DONE) {
        apply(desk, step->computer);
        atomic_fetch_add(&tally->work_done[job->work], 1);
    }
    hold(desk);
    if (step->fault == FAULT_WIRING) {
        take_cells(desk, is);
        if (memcmp(is, as_it_was, FLASH_SIZE) != 0)
            wrong("a board that did not answer was changed");
    }
    if (step->fault >= FAULT_HOST && step->fault <= FAULT_LOCK)
        desk->stores_hurt = true;
    return code == DONE;
}

/* Each row says what was so. */
static void hold_ledger(const struct desk *desk, unsigned computer, unsigned done)
{
    g_autofree char *path = own_file(desk, computer, "ledger.db");
    sqlite3_stmt *statement = NULL;
    sqlite3 *db = NULL;
    int passed = -1;

    if (!desk->ledger || !g_file_test(path, G_FILE_TEST_EXISTS))
        return;
    if (sqlite3_open(path, &db) == SQLITE_OK &&
        sqlite3_prepare_v2(db, "SELECT count(*) FROM run WHERE outcome = 'passed'", -1, &statement,
                           NULL) == SQLITE_OK &&
        sqlite3_step(statement) == SQLITE_ROW)
        passed = sqlite3_column_int(statement, 0);
    sqlite3_finalize(statement);
    sqlite3_close(db);
    if (passed < 0 && !desk->stores_hurt)
        wrong("the ledger of computer %u cannot be read", computer);
    /* One that was killed may have been done, and on record, before. */
    if (passed > (int)(done + desk->killed[computer]) || (passed < (int)done && !desk->stores_hurt))
        wrong("the ledger of computer %u has %d rows that passed; %u jobs did", computer, passed,
              done);
}

static void set_up(struct desk *desk, const struct schedule *schedule, const char *folder)
{
    static const uint32_t speeds[] = {0, 0, 115200, 460800};
    g_autoptr(GError) error = NULL;

    *desk = (struct desk){.folder = folder, .flash = g_build_filename(folder, "flash.bin", NULL)};
    desk->description = (struct bench_description){.chip = wry_chip_by_code(WRY_CHIP_SANDERLING_S1),
                                                   .revision = 1,
                                                   .wiring = wry_wiring_at(0),
                                                   .flash_size = FLASH_SIZE};
    bench_make_address("gauge", desk->description.eui48);
    desk->ledger = schedule->seed % 3 == 0;
    desk->max_speed = speeds[schedule->seed / 3 % G_N_ELEMENTS(speeds)];
    desk->expected = g_memdup2(before, FLASH_SIZE);
    desk->archive = g_malloc(COMPUTERS * AREA);
    /* All seeds that come here are 4 modulo 5. */
    if (schedule->seed / 5 % 5 == 0 && has(schedule, ELEMENT_NOISE)) {
        desk->description.faults.noise_ppb = schedule->seed % 2 ? 10000 : 100000;
        tried(FAULT_NOISE);
    }
    if (!g_file_set_contents(desk->flash, (const char *)before, FLASH_SIZE, &error))
        wrong("%s", error->message);
    for (unsigned i = 0; i < COMPUTERS; i++) {
        g_autofree char *bench = bench_of(desk, i);
        g_autofree char *cells = g_build_filename(bench, "gauge", "flash.bin", NULL);
        g_mkdir_with_parents(bench, 0700);
        if (!bench_add(bench, "gauge", &desk->description, NULL, &error))
            wrong("%s", error->message);
        if (g_unlink(cells) != 0 || symlink(desk->flash, cells) != 0)
            wrong("the flash cannot be put onto a second bench");
    }
}

/* Nothing goes wrong any more: it is done, at the second time where the first one puts back what
 * was cut. */
static void finish(struct desk *desk, unsigned computer, unsigned *done)
{
    const struct step clean = {.computer = computer};

    for (unsigned i = 0; i < 2; i++) {
        if (take_step(desk, &clean)) {
            ++*done;
            return;
        }
    }
    wrong("the job of computer %u does not come to an end", computer);
}

void desk_run(const struct schedule *schedule, const char *folder)
{
    static const enum fault faults[] = {
        FAULT_NONE,   FAULT_POWER, FAULT_CABLE, FAULT_RESET, FAULT_HOST,  FAULT_CALL, FAULT_DISK,
        FAULT_WIRING, FAULT_LOCK,  FAULT_POWER, FAULT_CALL,  FAULT_CABLE, FAULT_HOST, FAULT_RESET};
    uint64_t random = schedule->seed * 91 + 3;
    unsigned steps = 2 + (unsigned)(sim_random(&random) % 4), done[COMPUTERS] = {0};
    struct desk desk;

    set_up(&desk, schedule, folder);
    for (unsigned i = 0; i < COMPUTERS; i++)
        choose_job(&desk, i, &random);
    for (unsigned i = 0; i < steps; i++) {
        struct step step = {.computer = sim_random(&random) % 3 == 0, .at = sim_random(&random)};
        step.fault = faults[sim_random(&random) % G_N_ELEMENTS(faults)];
        uint64_t own = sim_random(&random);
        if (!has(schedule, ELEMENT_STEP + i))
            continue;
        if (take_step(&desk, &step)) {
            done[step.computer]++;
            choose_job(&desk, step.computer, &own);
        }
    }
    for (unsigned i = 0; i < COMPUTERS; i++) {
        if (desk.jobs[i].open || i == 0)
            finish(&desk, i, &done[i]);
        hold_ledger(&desk, i, done[i]);
    }
    hold(&desk);
    g_free(desk.flash);
    g_free(desk.expected);
    g_free(desk.archive);
}

void desk_prepare(void)
{
    memset(before, 0xFF, sizeof before);
    rig_mixed(before, 0x3A000, 11);
    /* Some of it is much like what stands there. */
    rig_mixed(content, sizeof content, 12);
    memcpy(content, before + 300, 0x10000);
    for (size_t i = 0; i < 0x10000; i += 97)
        content[i] ^= 1;
    rig_random(content + LOOKS_LIKE_CODE, sizeof content - LOOKS_LIKE_CODE, 13);
}
