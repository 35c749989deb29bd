/*
 * Terminals (serial devices and pseudo-terminals) through the interface of Linux, which takes any
 * speed and reports the one it has set.
 */
#ifndef WRY_POSIX_TTY_H
#define WRY_POSIX_TTY_H

#include <stdbool.h>
#include <stdint.h>

/* Sets 8N1 at 115200 baud, no flow control, no translation, and outputs that are kept at close.
 * False on failure; with errno 0 it has another speed, see tty_speed. */
bool tty_make_raw(int descriptor);

/* False if the terminal does not come within 2 % of it; it then keeps the previous speed. */
bool tty_set_speed(int descriptor, uint32_t baud);

/* The speed in baud; 0 if it is unknown. */
uint32_t tty_speed(int descriptor);

/* Discards received bytes that were not read. */
bool tty_discard(int descriptor);

/* Bytes written that have not left yet; 0 if that is unknown. */
uint32_t tty_unsent(int descriptor);

/* True if its transmitter is known to be busy. */
bool tty_is_sending(int descriptor);

/* True for a terminal with control lines; pseudo-terminals have none. */
bool tty_has_lines(int descriptor);

/* Sets both outputs in one step. */
bool tty_set_lines(int descriptor, bool dtr, bool rts);

/* Begins or ends a break. */
bool tty_set_break(int descriptor, bool on);

/* Makes further opens fail, or allows them again. Superusers can always open it. */
bool tty_set_exclusive(int descriptor, bool on);

/* Makes the driver deliver input at once, or in its usual time. *was: the previous setting. False
 * if the driver does not have this setting. */
bool tty_set_quick(int descriptor, bool on, bool *was);

#endif
