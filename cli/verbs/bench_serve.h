/* 'bench serve': simulated boards for other programs, in real time. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/bench.h"

/* Serves the boards named after 'serve', or all, until Ctrl-C. host NULL: loopback. EXIT_DONE or
 * the code of app_fail. */
int bench_serve(struct app *app, const struct wry_bench_server_settings *options);
