/*
 * What a board does outside loading mode: the boot ROM's check of the program in flash, and the
 * text that ROM and tide-gauge firmware print. All of it follows from the flash content.
 */
#ifndef WRY_SIM_FIRMWARE_H
#define WRY_SIM_FIRMWARE_H

#include <stdbool.h>
#include <stddef.h>

#include "firmware_view.h"

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
