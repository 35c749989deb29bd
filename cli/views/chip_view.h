/* A chip, as its file describes it. */
#pragma once

#include "app/app.h"
#include "wrytograph/chip.h"

/* Shows all but its regions. */
void chip_view_show(const struct app *app, const struct wry_chip *chip);
