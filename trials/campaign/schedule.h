/*
 * A schedule: what is done to one board and what goes wrong meanwhile, all drawn from a seed. It is
 * made of elements, each of which can be left out, so that one that fails can be made smaller.
 */
#ifndef WRY_CAMPAIGN_SCHEDULE_H
#define WRY_CAMPAIGN_SCHEDULE_H

#include <stdatomic.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

struct schedule {
    uint64_t seed;
    uint32_t without; /* bit n: element n is left out */
};

/* Elements. */
enum {
    ELEMENT_STEP = 0, /* and those that follow: attempts, each with what goes wrong in it */
    STEPS_MOST = 8,
    ELEMENT_NOISE = 8,
    ELEMENT_CODING = 9, /* streams and differences; else pages */
    ELEMENT_ITEM = 10,  /* and those that follow: placements of a plan */
    ITEMS_MOST = 6,
    ELEMENTS = 16,
};

enum fault {
    FAULT_NONE,
    FAULT_POWER,   /* cut within a flash operation */
    FAULT_CABLE,   /* pulled after a number of bytes */
    FAULT_ADAPTER, /* unplugged likewise, and back */
    FAULT_RESET,   /* somebody presses the button */
    FAULT_HOST,    /* the process is killed, anywhere */
    FAULT_CALL,    /* it is killed at a call of the system */
    FAULT_DISK,    /* full from a moment on */
    FAULT_LOCK,    /* another program has the store */
    FAULT_WIRING,  /* the control lines are wired otherwise than it was said */
    FAULT_NOISE,   /* on the line, in all of the schedule */
    FAULTS,
};

enum work {
    WORK_PAGES,
    WORK_STREAM,
    WORK_DIFFERENCE,
    WORK_WRITE, /* by the job, whose coding is its own choice */
    WORK_RESTORE,
    WORK_CARD,
    WORK_ERASE,
    WORK_BACKUP,
    WORKS,
};

/* Shared by all processes of a campaign. */
struct tally {
    atomic_uint fault_tried[FAULTS], fault_struck[FAULTS], fault_wrong[FAULTS];
    atomic_uint work_tried[WORKS], work_done[WORKS];
    atomic_uint other_computer;  /* steps of the second computer */
    atomic_uint parts_differing; /* parts that were told by differences */
};

extern struct tally *tally;

/* Faults of the schedule in hand, a bit each, for what went wrong in it. */
extern uint32_t faults_in_hand;

/* Notes that one is tried, or has struck. */
void tried(enum fault fault);
void struck(enum fault fault);

/* A wrong end: says so and ends the process, which runs one schedule. */
_Noreturn void wrong(const char *format, ...) __attribute__((format(printf, 1, 2)));

bool has(const struct schedule *schedule, unsigned element);

/* A session on a board in memory. */
void wire_run(const struct schedule *schedule);
/* Jobs of two computers on a board of the bench, with their stores in that folder. */
void desk_run(const struct schedule *schedule, const char *folder);
/* Fills what they share, once. */
void wire_prepare(void);
void desk_prepare(void);

/* What the steps were, in words, for a schedule that failed. */
void say_step(const char *format, ...) __attribute__((format(printf, 1, 2)));

#endif
