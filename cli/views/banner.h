/* A word across the terminal, large enough to read from two metres away. */
#pragma once

#include "app/app.h"

/* The ground of the letters: white on dark, or black on light, whatever the terminal's theme is. */
enum banner_look {
    BANNER_PASSED,
    BANNER_FAILED,
    BANNER_STOPPED,
    BANNER_BEFORE,
    BANNER_NEXT,
};

/* Prints text (letters of outcomes and of NEXT BOARD) on stdout. Nothing with --json. */
void banner_print(const struct app *app, const char *text, enum banner_look look);
