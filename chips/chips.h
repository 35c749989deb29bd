/*
 * The chips that this program knows: the built-in ones, those of files, those of the program that
 * uses the library (wrytograph-host/chips.h). One list for all threads.
 */
#pragma once

#include "wrytograph-host/chips.h"

/* Where a chip is from. Of two with one code the later in this list is found. */
enum chip_rank {
    CHIP_BUILT_IN,
    CHIP_OF_SYSTEM, /* the system's folder */
    CHIP_OF_USER,   /* the user's folder */
    CHIP_OF_CARD,   /* a card or a kit */
    CHIP_GIVEN,     /* an option, or a library's user */
};

/*
 * Makes a valid chip known. source: where it is from, for messages. Returns it as it is kept; NULL
 * with an error of WRY_STORE_ERROR if its code or name belongs to a built-in chip, or to another
 * one of the same rank with other content.
 */
const struct wry_chip *chips_register(const struct wry_chip *chip, enum chip_rank rank,
                                      const char *source, GError **error);

/* Reads a chip file and registers what it describes. */
const struct wry_chip *chips_load(const char *path, enum chip_rank rank, GError **error);
