/*
 * Remaining time of a job: by the estimate for the first two seconds, then by the rate of the last
 * ten seconds.
 *
 *     struct remaining remaining = {0};
 *     remaining_note(&remaining, now, done);
 *     double seconds = remaining_time(&remaining, now, done, total, expected);
 */
#pragma once

#include <stdint.h>

enum {
    REMAINING_MARKS = 10,
};

/* Zeroed at the beginning of a job. */
struct remaining {
    uint64_t begun;                 /* us */
    uint64_t at[REMAINING_MARKS];   /* us, a second apart or more */
    uint64_t done[REMAINING_MARKS]; /* and the bytes done then */
    unsigned count;
};

/* now: us on the port's clock, rising. */
void remaining_note(struct remaining *remaining, uint64_t now, uint64_t done);

/* The seconds left. expected: by the cost model, 0 = unknown. 0 if nothing is known yet. */
double remaining_time(const struct remaining *remaining, uint64_t now, uint64_t done,
                      uint64_t total, double expected);
