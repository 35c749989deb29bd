/* The clock of real-time ports, in microseconds, monotonic. */
#ifndef WRY_POSIX_CLOCK_H
#define WRY_POSIX_CLOCK_H

#include <stdint.h>

/* For struct wry_port; context is not used. */
uint64_t posix_clock_now(void *context);
void posix_clock_sleep(void *context, uint64_t until);

/* Milliseconds for poll, rounded up so that a wait never ends early; 0 for the past. */
int posix_clock_wait(uint64_t deadline);

#endif
