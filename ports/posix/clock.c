/* The clock of ports in real time. */
#include "wrytograph-host/clock.h"

#include <glib.h>

uint64_t wry_clock_now(void *context)
{
    (void)context;
    return (uint64_t)g_get_monotonic_time();
}

void wry_clock_sleep(void *context, uint64_t until)
{
    uint64_t now = wry_clock_now(context);

    if (until > now)
        g_usleep((gulong)(until - now));
}

int wry_clock_wait(uint64_t deadline)
{
    uint64_t now = wry_clock_now(NULL);

    return deadline > now ? (int)MIN((deadline - now + 999) / 1000, 60000) : 0;
}
