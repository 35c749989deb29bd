/*
 * A board that holds a version of a program, all of which is known, and the plan to write another.
 *
 *     struct upgrade_bench bench;
 *     upgrade_bench_begin(&bench, &setup, OFFSET, LENGTH, content);
 *     wry_session_connect(&bench.rig->session);
 *     upgrade_bench_end(&bench);
 */
#ifndef WRY_TESTS_UPGRADE_BENCH_H
#define WRY_TESTS_UPGRADE_BENCH_H

#include "known.h"
#include "rig.h"

struct upgrade_bench {
    struct rig *rig;
    struct pack *pack;
    struct known known;
    struct wry_placement item;
    struct wry_plan plan;
};

/* The board holds version 0 of the program of the setup's seed at the offset. A setup without a
 * speed gets 115200 baud, a line on which less is quicker on every board. */
void upgrade_bench_begin(struct upgrade_bench *bench, const struct rig_setup *setup,
                         uint32_t offset, uint32_t length, const uint8_t *content);
void upgrade_bench_end(struct upgrade_bench *bench);

#endif
