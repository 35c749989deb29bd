/* The clock of ports in real time: microseconds that never go back. */
#ifndef WRYTOGRAPH_HOST_CLOCK_H
#define WRYTOGRAPH_HOST_CLOCK_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* As struct wry_port wants them; context is not used. */
uint64_t wry_clock_now(void *context);
void wry_clock_sleep(void *context, uint64_t until);

/* Milliseconds for poll, rounded up so that a wait never ends early; 0 for the past. */
int wry_clock_wait(uint64_t deadline);

#ifdef __cplusplus
}
#endif

#endif
