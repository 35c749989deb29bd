/*
 * What makes a chip description valid, for chip files and for chips of a program.
 *
 *     g_autofree char *wrong = NULL;
 *     if (chip_check(chip, &wrong) != CHIP_FINE)
 *         puts(wrong);
 */
#pragma once

#include "wrytograph/chip.h"

/* The member that is wrong. */
enum chip_fault {
    CHIP_FINE,
    CHIP_CODE,
    CHIP_NAME,
    CHIP_TITLE,
    CHIP_STRAP,
    CHIP_SAYS,
    CHIP_CORES,
    CHIP_INSTRUCTIONS,
    CHIP_SPEEDS,
    CHIP_FLASH,
    CHIP_START,
    CHIP_TABLE,
    CHIP_APPS,
    CHIP_READ,
    CHIP_REGIONS,
};

/* *wrong: what is wrong with it, as a sentence without its full stop; free with g_free. Untouched
 * if all is fine. */
enum chip_fault chip_check(const struct wry_chip *chip, char **wrong);
