/*
 * How long a job will still take: what was expected for the first two seconds, then the rate of the
 * latest ten.
 *
 *     struct remaining remaining = {0};
 *     remaining_note(&remaining, now, done);
 *     double seconds = remaining_time(&remaining, now, done, total, expected);
 */
#ifndef WRY_CLI_REMAINING_H
#define WRY_CLI_REMAINING_H

#include <stdint.h>

enum {
    REMAINING_MARKS = 10,
};

/* All zero at the beginning of a job. */
struct remaining {
    uint64_t begun;                 /* us */
    uint64_t at[REMAINING_MARKS];   /* us, a second apart or more */
    uint64_t done[REMAINING_MARKS]; /* and the bytes done then */
    unsigned count;
};

/* now: us on the port's clock, rising. */
void remaining_note(struct remaining *remaining, uint64_t now, uint64_t done);

/* Seconds; expected: what the rest takes by what is known of line and flash, 0 = not known. 0 when
 * nothing can be said yet. */
double remaining_time(const struct remaining *remaining, uint64_t now, uint64_t done,
                      uint64_t total, double expected);

#endif
