/*
 * Wiring: which of the adapter's two outputs drives the board's reset and which its boot strap, and
 * in which sense. A setting, not a guess.
 *
 * An output that is asserted is at its active level: 0 V on the usual 3.3 V adapters.
 */
#ifndef WRYTOGRAPH_HOST_WIRING_H
#define WRYTOGRAPH_HOST_WIRING_H

#include <stdbool.h>
#include <stddef.h>

#ifdef __cplusplus
extern "C" {
#endif

struct wry_wiring {
    const char *name;
    const char *words;   /* the picture in words */
    bool reset_is_rts;   /* else DTR */
    bool reset_inverted; /* asserted output = board not in reset */
    bool boot_inverted;
    /* Each output acts only against the other: RTS alone resets, DTR alone holds the strap, and
     * both together do nothing. The strap is held while reset still rises. */
    bool cross_coupled;
    bool none; /* no control lines: loading mode by hand */
};

/* The n-th wiring, counting from 0; NULL past the last. The first is the usual one. */
const struct wry_wiring *wry_wiring_at(size_t n);
const struct wry_wiring *wry_wiring_by_name(const char *name);

#ifdef __cplusplus
}
#endif

#endif
