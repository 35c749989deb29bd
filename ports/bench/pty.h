/* Pseudo-terminals: the serving side, and what the other side has set. */
#ifndef WRY_BENCH_PTY_H
#define WRY_BENCH_PTY_H

#include <stdbool.h>

/* Opens a pair in raw mode; the descriptor of this side, or -1. path: of the other side. */
int pty_open(char *path, unsigned room);

/* True while some program has the other side open. */
bool pty_is_open(int descriptor);

#endif
