/* The time that a job will still take. */
#include "cli/views/remaining.h"
#include "harness.h"

#define SECOND UINT64_C(1000000)

static void what_was_expected_counts_for_two_seconds(void)
{
    struct remaining remaining = {0};

    for (uint64_t now = 0; now < 2 * SECOND; now += 100000) {
        remaining_note(&remaining, now, now / 100);
        CHECK_EQUAL(11, remaining_time(&remaining, now, now / 100, 720000, 11));
    }
}

/* 115200 baud carry 11,520 bytes a second, whatever was expected. */
static void then_the_measured_rate_counts(void)
{
    struct remaining remaining = {0};

    for (uint64_t now = 0; now <= 60 * SECOND; now += 100000) {
        uint64_t done = now * 11520 / SECOND;
        remaining_note(&remaining, now, done);
        double left = remaining_time(&remaining, now, done, 720000, 11);
        double truth = 62.5 - (double)now / 1e6;
        if (now >= 2 * SECOND)
            CHECK(left > truth - 0.2 && left < truth + 0.2);
    }
}

static void a_rate_that_changes_is_followed(void)
{
    struct remaining remaining = {0};
    uint64_t done = 0;

    for (uint64_t now = 0; now <= 40 * SECOND; now += 100000) {
        remaining_note(&remaining, now, done);
        done += now < 10 * SECOND ? 100000 : 10000;
    }
    double left = remaining_time(&remaining, 40 * SECOND, done, done + 100000, 1);
    CHECK(left > 0.9 && left < 1.1);
}

static void nothing_is_made_up(void)
{
    struct remaining remaining = {0};

    CHECK_EQUAL(0, remaining_time(&remaining, 0, 0, 100, 0));
    remaining_note(&remaining, 0, 0);
    CHECK_EQUAL(0, remaining_time(&remaining, 5 * SECOND, 0, 100, 0));
    CHECK_EQUAL(7, remaining_time(&remaining, 5 * SECOND, 0, 100, 7));
    CHECK_EQUAL(0, remaining_time(&remaining, 5 * SECOND, 100, 100, 7));
}

int main(int argc, char **argv)
{
    static const struct fact facts[] = {
        FACT(what_was_expected_counts_for_two_seconds),
        FACT(then_the_measured_rate_counts),
        FACT(a_rate_that_changes_is_followed),
        FACT(nothing_is_made_up),
    };

    return run_facts(facts, sizeof facts / sizeof facts[0], argc, argv);
}
