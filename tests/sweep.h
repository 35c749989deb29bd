/*
 * One case of the sweep: a call of the session at one speed, latency, noise and filling of the
 * flash, in virtual time, beside the time that the line needs for the content alone.
 */
#ifndef WRY_TESTS_SWEEP_H
#define WRY_TESTS_SWEEP_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/status.h"

enum sweep_call {
    SWEEP_READ,
    SWEEP_BACK_UP,
    SWEEP_VERIFY,    /* content that differs everywhere */
    SWEEP_READ_BACK, /* the same, byte for byte */
    SWEEP_WRITE,     /* at odd offsets: both ends have neighbours */
    SWEEP_ERASE,     /* at odd offsets, too */
    SWEEP_CALLS,
};

enum sweep_fill {
    SWEEP_BLANK,
    SWEEP_HALF, /* every other sector */
    SWEEP_FULL,
    SWEEP_FILLS,
};

struct sweep_noise {
    const char *name;
    uint32_t noise_ppb, lost_ppb;
    unsigned limit_percent; /* of the line's time, to which a second is added */
};

struct sweep_case {
    enum sweep_call call;
    uint32_t speed;
    uint32_t latency_ms;
    const struct sweep_noise *noise;
    enum sweep_fill fill;
    uint32_t length; /* bytes of content */
    uint64_t seed;
    unsigned cut_after; /* reports of progress, then the cable is pulled for good; 0 = never */
};

struct sweep_result {
    enum wry_status status; /* what the call should have given is WRY_OK */
    bool right;             /* content came over, or into the flash, and nothing else changed */
    double seconds;
    double needed_seconds; /* by the line for the content, or by the flash if that is longer */
    double limit_seconds;
    uint32_t steps_down, reconnects;
};

extern const uint32_t sweep_speeds[];
extern const size_t sweep_speed_count;
extern const uint32_t sweep_latencies[];
extern const size_t sweep_latency_count;
extern const struct sweep_noise sweep_noises[];
extern const size_t sweep_noise_count;

const char *sweep_call_name(enum sweep_call call);
const char *sweep_fill_name(enum sweep_fill fill);

struct sweep_result sweep_run(const struct sweep_case *c);

#endif
