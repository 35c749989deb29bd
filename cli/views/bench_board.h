/* A simulated board of the bench, as a line and in JSON. */
#ifndef WRY_CLI_BENCH_BOARD_H
#define WRY_CLI_BENCH_BOARD_H

#include "app/app.h"
#include "bench/board_file.h"

void bench_board_show(const struct app *app, const char *name,
                      const struct bench_description *description);

#endif
