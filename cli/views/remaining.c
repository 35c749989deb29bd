/* Remaining time of a job. */
#include "remaining.h"

#define FIRST_TIME                                                                                 \
    UINT64_C(2000000) /* us before the measured rate is more reliable than the estimate */
#define APART UINT64_C(1000000)

void remaining_note(struct remaining *remaining, uint64_t now, uint64_t done)
{
    unsigned last = (remaining->count - 1) % REMAINING_MARKS;

    if (remaining->count == 0)
        remaining->begun = now;
    else if (now < remaining->at[last] + APART)
        return;
    unsigned next = remaining->count++ % REMAINING_MARKS;
    remaining->at[next] = now;
    remaining->done[next] = done;
}

double remaining_time(const struct remaining *remaining, uint64_t now, uint64_t done,
                      uint64_t total, double expected)
{
    unsigned oldest = remaining->count > REMAINING_MARKS ? remaining->count % REMAINING_MARKS : 0;

    if (remaining->count == 0 || total <= done)
        return 0;
    uint64_t time = now - remaining->at[oldest], bytes = done - remaining->done[oldest];
    /* At first flash may be erased, with no content moving. */
    if ((now - remaining->begun < FIRST_TIME && expected > 0) || time == 0 || bytes == 0)
        return expected;
    return (double)(total - done) * ((double)time / 1e6) / (double)bytes;
}
