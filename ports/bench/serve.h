/*
 * Serving simulated boards in real time: each on a TCP port of its own that speaks RFC 2217, and,
 * if asked, as a pseudo-terminal.
 *
 *     struct bench_server *server = bench_server_new(&settings, names, &error);
 *     ... until it is to end ...
 *     bench_server_free(server);
 *
 * The boards have threads of their own, as many as there are processors.
 *
 * Over RFC 2217, speed and control lines act on the board as on a real one. A pseudo-terminal has
 * no control lines: its board gets power when the terminal is opened, loses it when it is closed,
 * and has its boot strap set by a jumper, so that it comes up in loading mode.
 */
#ifndef WRY_BENCH_SERVE_H
#define WRY_BENCH_SERVE_H

#include "bench_folder.h"

struct bench_serve_settings {
    const char *folder;
    const char *host;    /* address to listen on */
    uint16_t first_port; /* the others follow; 0: any free ones */
    bool pty;
};

struct bench_server;

/* names: ends with NULL. NULL when a board cannot be opened or a port is taken. */
struct bench_server *bench_server_new(const struct bench_serve_settings *settings, char **names,
                                      GError **error);

/* The n-th board's TCP port, and its pseudo-terminal (NULL without). */
uint16_t bench_server_port(const struct bench_server *server, size_t n);
const char *bench_server_pty(const struct bench_server *server, size_t n);

/* Cuts the power of all boards and saves their state. */
void bench_server_free(struct bench_server *server);

#endif
