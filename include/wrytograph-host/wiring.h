/*
 * Wiring: which of the adapter's two outputs drives the board's reset and which its boot strap, and
 * with which polarity. It is a setting, not a guess. An asserted output is at its active level, 0 V
 * on the usual 3.3 V adapters.
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
    const char *words;   /* description, as below the drawing */
    bool reset_is_rts;   /* reset is driven by RTS; otherwise by DTR */
    bool reset_inverted; /* an asserted output releases the reset */
    bool boot_inverted;
    /* Each output acts only while the other is off: RTS alone resets, DTR alone holds the strap,
     * both together do nothing. The strap stays held while reset rises. */
    bool cross_coupled;
    bool none; /* no control lines: loading mode by buttons */
};

/* The n-th wiring, counting from 0; NULL past the last one. The first is the usual one. */
const struct wry_wiring *wry_wiring_at(size_t n);
const struct wry_wiring *wry_wiring_by_name(const char *name);

#ifdef __cplusplus
}
#endif

#endif
