/*
 * Terminals by Linux's own interface, which takes any speed and tells the one that it set: serial
 * devices and pseudo-terminals.
 */
#ifndef WRY_POSIX_TTY_H
#define WRY_POSIX_TTY_H

#include <stdbool.h>
#include <stdint.h>

/* 8N1 at 115200 baud, no flow control, nothing translated, outputs kept at close. False when it
 * cannot be; errno 0: it is set to another speed, which tty_speed tells. */
bool tty_make_raw(int descriptor);

/* False when the terminal does not come within 2 % of it; it then has the speed from before. */
bool tty_set_speed(int descriptor, uint32_t baud);

/* Baud; 0 when it cannot be told. */
uint32_t tty_speed(int descriptor);

/* Forgets what has arrived and was not read. */
bool tty_discard(int descriptor);

/* Bytes that were written and have not left. 0 when that cannot be told. */
uint32_t tty_unsent(int descriptor);

/* True when its transmitter is known to have something left to send. */
bool tty_is_sending(int descriptor);

/* True for a terminal with control lines; pseudo-terminals have none. */
bool tty_has_lines(int descriptor);

/* Both at once. */
bool tty_set_lines(int descriptor, bool dtr, bool rts);

/* A break begins, or ends. */
bool tty_set_break(int descriptor, bool on);

/* From now on nobody else opens it, or they may again. Superusers can in any case. */
bool tty_set_exclusive(int descriptor, bool on);

/* Its driver hands over what arrives at once, or in its own time. *was: how it was before. False
 * when the driver does not know of that. */
bool tty_set_quick(int descriptor, bool on, bool *was);

#endif
