/*
 * Faults of a simulated board as words, as 'bench fault' takes them.
 *
 *     if (!fault_text_parse("noise=1e-5", &description.faults))
 *         refuse();
 */
#ifndef WRY_BENCH_FAULT_TEXT_H
#define WRY_BENCH_FAULT_TEXT_H

#include <stdbool.h>

#include "sim/sim_board.h"

/* Sets the fault that text names, or none. False, and nothing set, when it is no fault. */
bool fault_text_parse(const char *text, struct sim_board_faults *faults);

/* "strap-released, noise 1e-05"; "" without any. Free with g_free. */
char *fault_text_describe(const struct sim_board_faults *faults);

#endif
