/* The clock of ports in real time. */

#include "clock.h"
#include <glib.h>

uint64_t posix_clock_now(void *context)
{
    (void)context;
    return (uint64_t)g_get_monotonic_time();
}

void posix_clock_sleep(void *context, uint64_t until)
{
    uint64_t now = posix_clock_now(context);

    if (until > now)
        g_usleep((gulong)(until - now));
}

int posix_clock_wait(uint64_t deadline)
{
    uint64_t now = posix_clock_now(NULL);

    return deadline > now ? (int)MIN((deadline - now + 999) / 1000, 60000) : 0;
}
