/* A simulated board of the bench, as a line and in JSON. */
#ifndef WRY_CLI_BENCH_BOARD_H
#define WRY_CLI_BENCH_BOARD_H

#include "app/app.h"
#include "wrytograph-host/bench.h"

void bench_board_show(const struct app *app, const char *name, const struct wry_bench_board *board);

#endif
