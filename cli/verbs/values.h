/* Values of options. All functions return EXIT_DONE or the code of app_fail. */
#pragma once

#include "app/app.h"
#include "wrytograph-host/wiring.h"
#include "wrytograph/chip.h"

/* A chip by its name. */
int values_chip(struct app *app, const char *text, const struct wry_chip **chip);

/* A flash size in any notation. */
int values_flash(struct app *app, const char *text, uint32_t *bytes);

/* A speed in baud; such_as is an example for the message. text NULL leaves *speed unchanged. */
int values_speed(struct app *app, const char *text, const char *such_as, uint32_t *speed);

/* A time in us; option is its name for the message. text NULL leaves *time unchanged. */
int values_time(struct app *app, const char *option, const char *text, uint64_t *time);

/* --wiring, else WRYTOGRAPH_WIRING, else the usual one. */
int values_wiring(struct app *app, const struct wry_wiring **wiring);
