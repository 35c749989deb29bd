/* Pseudo-terminals, and whether somebody has the other end open. */
#ifndef WRY_BENCH_PTY_H
#define WRY_BENCH_PTY_H

#include <stdbool.h>

struct pty {
    int descriptor; /* -1: none */
    int watch;      /* tells of every opening and closing, however short */
    int open;       /* times the other end is open now */
    char path[64];
};

/* False with errno when there is none to be had. */
bool pty_open(struct pty *pty);
void pty_close(struct pty *pty);

/* The next change since it was asked last: true and *open, or false when there was none. */
bool pty_changed(struct pty *pty, bool *open);

#endif
