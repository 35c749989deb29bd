/*
 * Wiring: which of the adapter's two outputs drives the board's reset and which its boot strap, and
 * in which sense. A setting, not a guess.
 *
 * An output that is asserted is at its active level: 0 V on the usual 3.3 V adapters.
 */
#ifndef WRY_WIRING_H
#define WRY_WIRING_H

#include <stdbool.h>
#include <stddef.h>

struct wiring {
    const char *name;
    const char *words;   /* the picture in words */
    bool reset_is_rts;   /* else DTR */
    bool reset_inverted; /* asserted output = board not in reset */
    bool boot_inverted;
    bool none; /* no control lines: loading mode by hand */
};

/* The n-th wiring, counting from 0; NULL past the last. The first is the usual one. */
const struct wiring *wiring_at(size_t n);
const struct wiring *wiring_by_name(const char *name);

/* What DTR and RTS have to be for reset and boot as meant. */
void wiring_outputs(const struct wiring *wiring, bool reset, bool boot, bool *dtr, bool *rts);
/* The other way round, for the far end of the wires. */
void wiring_meaning(const struct wiring *wiring, bool dtr, bool rts, bool *reset, bool *boot);

#endif
