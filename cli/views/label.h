/* Labels: a small SVG drawing with a board's address as a QR code (ISO/IEC 18004). */
#pragma once

#include <glib.h>

#include "wrytograph-host/ledger.h"

/* The label of a passed run: address, card, version, date; 50 by 22 mm. Free with g_free. */
char *label_svg(const struct wry_ledger_run *run);
