/*
 * The sweep at length: every call at every speed, latency, noise and filling of the flash, more
 * content than the test takes. For each speed and noise the worst ratio of the time taken to the
 * time that the line (or the flash) needs is printed, with the case it belongs to.
 */
#include <stdio.h>
#include <string.h>

#include "sweep.h"

static uint32_t length_at(uint32_t speed)
{
    return speed < 50000 ? 0x10321 : speed < 400000 ? 0x40321 : 0x7A321;
}

struct worst {
    double ratio, seconds, needed;
    struct sweep_case c;
};

static void run(struct worst *worst, const struct sweep_case *c, unsigned *wrong)
{
    struct sweep_result r = sweep_run(c);
    /* One second is allowed everywhere: it does not depend on the line. */
    double ratio =
        r.needed_seconds > 1 ? (r.seconds > 1 ? r.seconds - 1 : 0) / r.needed_seconds : 0;

    if (r.status != WRY_OK || !r.right) {
        printf("WRONG: %s at %u baud, %u ms, %s, flash %s, seed %u: status %d\n",
               sweep_call_name(c->call), (unsigned)c->speed, (unsigned)c->latency_ms,
               c->noise->name, sweep_fill_name(c->fill), (unsigned)c->seed, (int)r.status);
        ++*wrong;
    }
    if (ratio > worst->ratio)
        *worst = (struct worst){
            .ratio = ratio, .seconds = r.seconds, .needed = r.needed_seconds, .c = *c};
}

int main(void)
{
    unsigned wrong = 0, cases = 0;

    puts("Every call, simulated time: the worst of six calls, four latencies and three fillings\n\n"
         "     baud  noise        asked  worst ratio    took     needed   of");
    for (size_t s = 0; s < sweep_speed_count; s++) {
        for (size_t z = 0; z < sweep_noise_count; z++) {
            struct worst worst = {0};
            for (unsigned n = 0; n < 6 * 4 * 3; n++, cases++) {
                struct sweep_case c = {.call = (enum sweep_call)(n % 6),
                                       .speed = sweep_speeds[s],
                                       .latency_ms = sweep_latencies[n / 6 % 4],
                                       .noise = &sweep_noises[z],
                                       .fill = (enum sweep_fill)(n / 24),
                                       .length = length_at(sweep_speeds[s]),
                                       .seed = 5000 + s * 500 + z * 100 + n};
                run(&worst, &c, &wrong);
            }
            printf("%9u  %-10s %7.2f %12.3f %7.2f s %8.2f s   %s, %u ms, %s\n",
                   (unsigned)sweep_speeds[s], sweep_noises[z].name,
                   sweep_noises[z].limit_percent / 100.0, worst.ratio, worst.seconds, worst.needed,
                   sweep_call_name(worst.c.call), (unsigned)worst.c.latency_ms,
                   sweep_fill_name(worst.c.fill));
            fflush(stdout);
        }
    }
    printf("\n%u cases, %u of them wrong\n", cases, wrong);
    return wrong > 0;
}
