/* Pseudo-terminals, and whether the other end is open. */
#ifndef WRY_BENCH_PTY_H
#define WRY_BENCH_PTY_H

#include <stdbool.h>

struct pty {
    int descriptor; /* -1: none */
    int watch;      /* inotify: reports every open and close, however short */
    int open;       /* number of times the other end is open now */
    char path[64];
};

/* False with errno if there is none available. */
bool pty_open(struct pty *pty);
void pty_close(struct pty *pty);

/* Reports the next change since the last call: true with *open; false if there was none. */
bool pty_changed(struct pty *pty, bool *open);

#endif
