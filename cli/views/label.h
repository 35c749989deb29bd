/* Labels: a small SVG drawing with a board's address as a QR code (ISO/IEC 18004). */
#ifndef WRY_CLI_LABEL_H
#define WRY_CLI_LABEL_H

#include <glib.h>

#include "wrytograph-host/ledger.h"

/* The label of a passed run: address, card, version, date; 50 by 22 mm. Free with g_free. */
char *label_svg(const struct wry_ledger_run *run);

#endif
