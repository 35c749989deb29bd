/*
 * Terminals by Linux's own interface, which takes any speed: for pseudo-terminals, which
 * libserialport does not open.
 */
#ifndef WRY_POSIX_TTY_H
#define WRY_POSIX_TTY_H

#include <stdbool.h>
#include <stdint.h>

/* 8N1 at 115200 baud, no flow control, nothing translated. */
bool tty_make_raw(int descriptor);

/* After what was written has left. */
bool tty_set_speed(int descriptor, uint32_t baud);

/* Baud; 0 when it cannot be told. */
uint32_t tty_speed(int descriptor);

/* Forgets what has arrived and was not read. */
bool tty_discard(int descriptor);

#endif
