/*
 * What a board does outside loading mode: the boot ROM's check of the program in flash, and the
 * text that ROM and tide-gauge firmware print. All of it follows from the flash content.
 */
#ifndef WRY_SIM_FIRMWARE_H
#define WRY_SIM_FIRMWARE_H

#include <stdbool.h>
#include <stddef.h>

#include "nor_die.h"
#include "wrytograph/chip.h"
#include "wrytograph/loader.h"

/* What boot ROM and firmware see of the board they run on. */
struct sim_firmware {
    const struct wry_chip *chip;
    const struct wry_board_identity *identity;
    struct sim_nor_die *die;
    bool browned_out; /* the last reset was one */
};

/*
 * Writes what the boot ROM prints while it looks for a program into text, room bytes at most with
 * the final NUL. True when a program was found whole and runs.
 */
bool sim_firmware_boot(const struct sim_firmware *board, char *text, size_t room);

/* What that program says first. */
void sim_firmware_greet(const struct sim_firmware *board, char *text, size_t room);

/* The firmware's answer to a line it was sent; "" for an empty one. */
void sim_firmware_answer(const struct sim_firmware *board, const char *line, char *text,
                         size_t room);

/* The line it prints every second: n counts from 0. */
void sim_firmware_report(unsigned n, char *text, size_t room);

#endif
