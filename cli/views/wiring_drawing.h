/* Drawings of adapter and board with their wires. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/wiring.h"
#include "wrytograph/chip.h"

/* Prints the drawing to stdout. chip NULL: any. */
void wiring_drawing_print(const struct app *app, const struct wry_chip *chip,
                          const struct wry_wiring *wiring);

/* Saves it as a picture for work instructions. */
gboolean wiring_drawing_save_svg(const struct wry_chip *chip, const struct wry_wiring *wiring,
                                 const char *path, gboolean replace, GError **error);
