/* shelf choose: pick an image for the connected board at the terminal, and write it. */
#pragma once

#include "station_options.h"

int shelf_choose(struct app *app);
