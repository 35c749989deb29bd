/*
 * Seeded schedules in virtual time, on all processors, each in a process of its own.
 *
 * usage: campaign COUNT [FIRST]           so many schedules, from that seed on
 *        campaign --seed SEED [WITHOUT]   one alone, without the elements of a mask
 */
#include <glib.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/wait.h>
#include <unistd.h>

#include "names.h"
#include "schedule.h"
#include "store/file/folder.h"

enum {
    SHOWN_MOST = 5, /* of those that failed */
    PATIENCE = 120, /* seconds that no schedule takes */
    WRONG = 1,      /* exit code of a wrong end */
};

const char *const fault_names[FAULTS] = {
    [FAULT_NONE] = "nothing",
    [FAULT_POWER] = "power cut",
    [FAULT_ADAPTER] = "adapter unplugged, and back",
    [FAULT_CABLE] = "cable pulled",
    [FAULT_RESET] = "reset pressed",
    [FAULT_HOST] = "process killed",
    [FAULT_CALL] = "killed at a call of the system",
    [FAULT_DISK] = "disk full",
    [FAULT_LOCK] = "store locked",
    [FAULT_WIRING] = "wired otherwise",
    [FAULT_NOISE] = "noise on the line",
};

const char *const work_names[WORKS] = {
    [WORK_PAGES] = "session, pages",
    [WORK_STREAM] = "session, stream",
    [WORK_DIFFERENCE] = "session, difference",
    [WORK_WRITE] = "write",
    [WORK_RESTORE] = "restore",
    [WORK_CARD] = "card",
    [WORK_ERASE] = "erase",
    [WORK_BACKUP] = "backup",
};

struct tally *tally;
uint32_t faults_in_hand;
static bool talks; /* about the steps */

/* Shared by all processes. */
static struct shared {
    struct tally tally;
    atomic_ullong next, failed_count;
    uint64_t failed[SHOWN_MOST];
} * shared;

void tried(enum fault fault)
{
    faults_in_hand |= 1u << fault;
    atomic_fetch_add(&tally->fault_tried[fault], 1);
}

void struck(enum fault fault)
{
    atomic_fetch_add(&tally->fault_struck[fault], 1);
}

bool has(const struct schedule *schedule, unsigned element)
{
    return !(schedule->without >> element & 1);
}

static void say(const char *format, va_list arguments)
{
    printf("    ");
    vprintf(format, arguments);
    printf("\n");
    fflush(stdout);
}

void say_step(const char *format, ...)
{
    va_list arguments;

    if (!talks)
        return;
    va_start(arguments, format);
    say(format, arguments);
    va_end(arguments);
}

_Noreturn void wrong(const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    if (talks) {
        printf("  WRONG");
        say(format, arguments);
    }
    va_end(arguments);
    for (unsigned fault = 0; fault < FAULTS; fault++)
        atomic_fetch_add(&tally->fault_wrong[fault], faults_in_hand >> fault & 1);
    _exit(WRONG);
}

static char *temporary_folder(void)
{
    g_autofree char *pattern = g_build_filename(
        access("/dev/shm", W_OK) == 0 ? "/dev/shm" : g_get_tmp_dir(), "wry-campaign-XXXXXX", NULL);

    return g_mkdtemp(g_steal_pointer(&pattern));
}

/* Four of five are sessions in memory, the others jobs with stores on a disk. */
static bool is_desk(const struct schedule *schedule)
{
    return schedule->seed % 5 == 4;
}

/* True when it ends as it should. */
static bool run(const struct schedule *schedule)
{
    char *folder = is_desk(schedule) ? temporary_folder() : NULL;
    int status = 0;

    fflush(stdout);
    pid_t process = fork();
    if (process == 0) {
        alarm(PATIENCE);
        if (folder)
            desk_run(schedule, folder);
        else
            wire_run(schedule);
        _exit(0);
    }
    waitpid(process, &status, 0);
    if (folder)
        folder_remove(folder);
    g_free(folder);
    if (talks && status != 0 && !(WIFEXITED(status) && WEXITSTATUS(status) == WRONG))
        printf("    its process ended with status 0x%X\n", (unsigned)status);
    return status == 0;
}

static void work(uint64_t end)
{
    for (;;) {
        struct schedule schedule = {.seed = atomic_fetch_add(&shared->next, 1)};
        if (schedule.seed >= end)
            return;
        if (run(&schedule))
            continue;
        unsigned long long n = atomic_fetch_add(&shared->failed_count, 1);
        if (n < SHOWN_MOST)
            shared->failed[n] = schedule.seed;
    }
}

/* What is left when everything that it fails without as well is left out. */
static struct schedule shrink(uint64_t seed)
{
    struct schedule smallest = {.seed = seed};

    talks = false;
    for (unsigned element = 0; element < ELEMENTS; element++) {
        struct schedule smaller = smallest;
        smaller.without |= 1u << element;
        if (!run(&smaller))
            smallest = smaller;
    }
    talks = true;
    return smallest;
}

static int show(const char *program)
{
    unsigned long long failed = atomic_load(&shared->failed_count);

    talks = true;
    for (unsigned long long i = 0; i < failed && i < SHOWN_MOST; i++) {
        printf("\nseed %llu ended wrong:\n", (unsigned long long)shared->failed[i]);
        run(&(struct schedule){.seed = shared->failed[i]});
        struct schedule small = shrink(shared->failed[i]);
        printf("  the least of it that does: %s --seed %llu 0x%X\n", program,
               (unsigned long long)small.seed, (unsigned)small.without);
        run(&small);
    }
    return failed > 0;
}

static void show_tally(uint64_t count)
{
    printf("%-32s %9s %9s %9s\n", "what went wrong", "tried", "struck", "wrong end");
    for (unsigned fault = FAULT_POWER; fault < FAULTS; fault++) {
        printf("%-32s %9u ", fault_names[fault], atomic_load(&tally->fault_tried[fault]));
        if (fault == FAULT_NOISE)
            printf("%9s ", "");
        else
            printf("%9u ", atomic_load(&tally->fault_struck[fault]));
        printf("%9u\n", atomic_load(&tally->fault_wrong[fault]));
    }
    printf("\n%-32s %9s %9s\n", "what was done", "tried", "done");
    for (unsigned i = 0; i < WORKS; i++)
        printf("%-32s %9u %9u\n", work_names[i], atomic_load(&tally->work_tried[i]),
               atomic_load(&tally->work_done[i]));
    printf("\n%llu schedules, %llu wrong ends; %u steps of a second computer, %u parts told by "
           "differences\n",
           (unsigned long long)count, atomic_load(&shared->failed_count),
           atomic_load(&tally->other_computer), atomic_load(&tally->parts_differing));
}

/* A campaign in which little went wrong shows nothing. */
static bool is_a_trial(uint64_t count)
{
    if (count < 1000)
        return true;
    for (unsigned fault = FAULT_POWER; fault < FAULT_NOISE; fault++) {
        if (atomic_load(&tally->fault_struck[fault]) * 1000 < count)
            return false;
    }
    for (unsigned i = 0; i < WORKS; i++) {
        if (atomic_load(&tally->work_done[i]) * 200 < count)
            return false;
    }
    return true;
}

int main(int argc, char **argv)
{
    long workers = sysconf(_SC_NPROCESSORS_ONLN);

    shared = mmap(NULL, sizeof *shared, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0);
    if (argc < 2 || shared == MAP_FAILED) {
        fprintf(stderr, "usage: campaign COUNT [FIRST] | --seed SEED [WITHOUT]\n");
        return 2;
    }
    tally = &shared->tally;
    wire_prepare();
    desk_prepare();
    if (argc > 2 && strcmp(argv[1], "--seed") == 0) {
        talks = true;
        return !run(
            &(struct schedule){.seed = strtoull(argv[2], NULL, 10),
                               .without = argc > 3 ? (uint32_t)strtoul(argv[3], NULL, 16) : 0});
    }
    uint64_t count = strtoull(argv[1], NULL, 10),
             first = argc > 2 ? strtoull(argv[2], NULL, 10) : 0;
    atomic_store(&shared->next, first);
    fflush(stdout);
    for (long i = 0; i < 2 * workers; i++) { /* those that wait for a lock leave room */
        if (fork() == 0) {
            work(first + count);
            _exit(0);
        }
    }
    while (wait(NULL) > 0)
        ;
    show_tally(count);
    if (!is_a_trial(count))
        printf("too little went wrong to show anything\n");
    return show(argv[0]) || !is_a_trial(count);
}
