/* Adapter and board, and the wires between them. */
#ifndef WRY_CLI_WIRING_DRAWING_H
#define WRY_CLI_WIRING_DRAWING_H

#include "app/app.h"
#include "wrytograph-host/wiring.h"
#include "wrytograph/chip.h"

/* On stdout. chip NULL: any. */
void wiring_drawing_print(const struct app *app, const struct wry_chip *chip,
                          const struct wry_wiring *wiring);

/* The same as a picture for a work instruction. */
gboolean wiring_drawing_save_svg(const struct wry_chip *chip, const struct wry_wiring *wiring,
                                 const char *path, gboolean replace, GError **error);

#endif
