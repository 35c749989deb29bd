/*
 * Every call of the session at every speed, latency and noise, on flash that is full, half full and
 * blank: it ends, it is right, and it takes about the time that the line needs.
 */
#include <stdio.h>
#include <stdlib.h>

#include "harness.h"
#include "rig.h"
#include "sweep.h"

enum {
    SEEDS = 5,
    APART = 11, /* shares no factor with the numbers of speeds, latencies, noises and fills */
};

/* Enough for an average, and not for a minute of computing. */
static uint32_t length_at(uint32_t speed)
{
    return speed < 15000 ? 0x6321 : speed < 400000 ? 0xA321 : speed < 900000 ? 0x12321 : 0x20321;
}

static int compare_seconds(const void *a, const void *b)
{
    double x = *(const double *)a, y = *(const double *)b;

    return (x > y) - (x < y);
}

/* The median over other seeds, and this one's seconds: which frames the noise strikes is chance,
 * and changes with every byte of the protocol. */
static double usual_seconds(const struct sweep_case *c, double first)
{
    double seconds[SEEDS] = {first};

    for (unsigned i = 1; i < SEEDS; i++) {
        struct sweep_case other = *c;
        other.seed += 10007 * i;
        seconds[i] = sweep_run(&other).seconds;
    }
    qsort(seconds, SEEDS, sizeof seconds[0], compare_seconds);
    return seconds[SEEDS / 2];
}

static void check(const struct sweep_case *c)
{
    struct sweep_result r = sweep_run(c);

    if (r.seconds > r.limit_seconds && c->noise->noise_ppb + c->noise->lost_ppb > 0)
        r.seconds = usual_seconds(c, r.seconds);

    check_context("%s at %u baud, latency %u ms, %s, flash %s", sweep_call_name(c->call),
                  (unsigned)c->speed, (unsigned)c->latency_ms, c->noise->name,
                  sweep_fill_name(c->fill));
    CHECK_EQUAL(WRY_OK, r.status);
    CHECK(r.right);
    CHECK(r.seconds <= r.limit_seconds);
    if (r.seconds > r.limit_seconds)
        printf("  %.2f s of %.2f s\n", r.seconds, r.limit_seconds);
    CHECK(c->noise->noise_ppb > 0 || r.steps_down == 0);
}

static void sweep(enum sweep_call call)
{
    unsigned n = 0;

    for (size_t s = 0; s < sweep_speed_count; s++) {
        for (size_t l = 0; l < sweep_latency_count; l++) {
            for (size_t z = 0; z < sweep_noise_count; z++) {
                for (int fill = 0; fill < SWEEP_FILLS; fill++) {
                    struct sweep_case c = {.call = call,
                                           .speed = sweep_speeds[s],
                                           .latency_ms = sweep_latencies[l],
                                           .noise = &sweep_noises[z],
                                           .fill = (enum sweep_fill)fill,
                                           .length = length_at(sweep_speeds[s]),
                                           .seed = s * 1000 + l * 100 + z * 10 + (unsigned)fill};
                    if (n++ % check_one_in(APART) == 0)
                        check(&c);
                }
            }
        }
    }
}

static void reading_takes_the_line_s_time(void)
{
    sweep(SWEEP_READ);
}

static void backing_up_takes_the_line_s_time(void)
{
    sweep(SWEEP_BACK_UP);
}

static void comparing_what_differs_takes_the_line_s_time(void)
{
    sweep(SWEEP_VERIFY);
}

static void reading_back_takes_the_line_s_time(void)
{
    sweep(SWEEP_READ_BACK);
}

static void writing_takes_the_line_s_time(void)
{
    sweep(SWEEP_WRITE);
}

static void erasing_beside_neighbours_takes_the_line_s_time(void)
{
    sweep(SWEEP_ERASE);
}

/* Whatever the noise, there is an end: done, or the link given up. When that is depends on chance:
 * several seeds, and their median. */
static void worse_noise_ends_right_or_with_the_link_lost(void)
{
    static const uint32_t rates[] = {400000, 700000, 1000000, 2000000, 5000000, 20000000};

    for (size_t i = 0; i < sizeof rates / sizeof rates[0] * SWEEP_CALLS; i += check_one_in(5)) {
        struct sweep_noise noise = {.name = "worse", .noise_ppb = rates[i / SWEEP_CALLS]};
        struct sweep_case c = {.call = (enum sweep_call)(i % SWEEP_CALLS),
                               .speed = 921600,
                               .latency_ms = 2,
                               .noise = &noise,
                               .fill = SWEEP_FULL,
                               .length = 0x4321};
        double seconds[SEEDS];
        for (size_t k = 0; k < SEEDS; k++) {
            c.seed = i / SWEEP_CALLS + 6 * k;
            struct sweep_result r = sweep_run(&c);
            seconds[k] = r.seconds;
            check_context("%s at %u of 1e9", sweep_call_name(c.call), (unsigned)noise.noise_ppb);
            CHECK(r.status == WRY_LINK_LOST || r.status == WRY_NO_ANSWER ||
                  (r.status == WRY_OK && r.right));
            CHECK(r.seconds < 300);
        }
        qsort(seconds, SEEDS, sizeof seconds[0], compare_seconds);
        CHECK(seconds[SEEDS / 2] < 120);
    }
}

/* A window that takes half a minute to send, and a line that lets no long frame through. */
static void a_long_window_on_a_slow_noisy_line_is_no_stall(void)
{
    static const uint64_t seeds[] = {5922, 219735, 386034, 536495, 710713, 1067068, 1328395};

    for (size_t i = 0; i < sizeof seeds / sizeof seeds[0]; i++) {
        struct sweep_case c = {.call = SWEEP_WRITE,
                               .speed = 19200,
                               .latency_ms = 100,
                               .noise = &sweep_noises[4],
                               .fill = SWEEP_BLANK,
                               .length = 0x10321,
                               .seed = seeds[i]};
        struct sweep_result r = sweep_run(&c);
        check_context("seed %u", (unsigned)seeds[i]);
        CHECK_EQUAL(WRY_OK, r.status);
        CHECK(r.right);
    }
}

/* At every speed: the board is not said to be stuck. */
static void a_cable_that_is_pulled_is_a_lost_link(void)
{
    enum { POINTS = 5 };
    static const unsigned points[POINTS] = {1, 2, 5, 17, 60};
    const size_t cells = sweep_speed_count * SWEEP_CALLS * POINTS;

    for (size_t i = 0; i < cells; i += i < SWEEP_CALLS * POINTS ? 1 : check_one_in(7)) {
        struct sweep_case c = {.call = (enum sweep_call)(i % SWEEP_CALLS),
                               .speed = sweep_speeds[i / SWEEP_CALLS / POINTS],
                               .latency_ms = 16,
                               .noise = &sweep_noises[0],
                               .fill = SWEEP_FULL,
                               .length = 0x10321,
                               .seed = i,
                               .cut_after = points[i / SWEEP_CALLS % POINTS]};
        struct sweep_result r = sweep_run(&c);
        check_context("%s at %u baud, cut after %u reports: status %d", sweep_call_name(c.call),
                      (unsigned)c.speed, c.cut_after, r.status);
        CHECK(r.status == WRY_LINK_LOST || (r.status == WRY_OK && r.right));
        CHECK(r.seconds < 25 + r.needed_seconds + 60.0 * 9600 / c.speed);
    }
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(reading_takes_the_line_s_time),
        FACT(backing_up_takes_the_line_s_time),
        FACT(comparing_what_differs_takes_the_line_s_time),
        FACT(reading_back_takes_the_line_s_time),
        FACT(writing_takes_the_line_s_time),
        FACT(erasing_beside_neighbours_takes_the_line_s_time),
        FACT(worse_noise_ends_right_or_with_the_link_lost),
        FACT(a_long_window_on_a_slow_noisy_line_is_no_stall),
        FACT(a_cable_that_is_pulled_is_a_lost_link),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
