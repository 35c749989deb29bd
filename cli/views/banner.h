/* A word across the terminal, large enough to read from two metres away. */
#pragma once

#include "app/app.h"

/* Prints text (letters of outcomes and of NEXT BOARD) on stdout. paint: a control sequence for
 * terminals with colours. Nothing with --json. */
void banner_print(const struct app *app, const char *text, const char *paint);
