/* Translates between the meaning of control lines and the outputs of an adapter. */
#ifndef WRY_POSIX_WIRING_LINES_H
#define WRY_POSIX_WIRING_LINES_H

#include "wrytograph-host/wiring.h"

/* The states of DTR and RTS for these states of reset and boot. If they are cross-coupled, only one
 * can be active; reset wins. */
void wiring_outputs(const struct wry_wiring *wiring, bool reset, bool boot, bool *dtr, bool *rts);
/* The inverse, for the far end of the wires. */
void wiring_meaning(const struct wry_wiring *wiring, bool dtr, bool rts, bool *reset, bool *boot);

#endif
