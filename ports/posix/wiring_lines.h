/* Between what control lines mean and what an adapter's outputs have to be. */
#ifndef WRY_POSIX_WIRING_LINES_H
#define WRY_POSIX_WIRING_LINES_H

#include "wrytograph-host/wiring.h"

/* What DTR and RTS have to be for reset and boot as meant. Where they are cross-coupled only one of
 * these can be; of both it is reset. */
void wiring_outputs(const struct wry_wiring *wiring, bool reset, bool boot, bool *dtr, bool *rts);
/* The other way round, for the far end of the wires. */
void wiring_meaning(const struct wry_wiring *wiring, bool dtr, bool rts, bool *reset, bool *boot);

#endif
