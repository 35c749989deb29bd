/*
 * Faults of a simulated board as text, as 'bench fault' takes them.
 *
 *     if (!fault_text_parse("noise=1e-5", &description.faults))
 *         refuse();
 */
#ifndef WRY_BENCH_FAULT_TEXT_H
#define WRY_BENCH_FAULT_TEXT_H

#include <stdbool.h>

#include "sim/sim_board.h"

/* Sets the fault in text; "none" clears all. False, and nothing is set, if it is not a fault. */
bool fault_text_parse(const char *text, struct sim_board_faults *faults);

/* "strap-released, noise 1e-05"; "" if there are none. Free with g_free. */
char *fault_text_describe(const struct sim_board_faults *faults);

#endif
