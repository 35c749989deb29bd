/*
 * A board outside loading mode: the boot ROM's check of the program in flash, and the text of ROM
 * and tide-gauge firmware. Everything follows from the content of the flash.
 */
#ifndef WRY_SIM_FIRMWARE_H
#define WRY_SIM_FIRMWARE_H

#include <stdbool.h>
#include <stddef.h>

#include "firmware_view.h"

/*
 * Writes the boot ROM's output into text, room bytes with the NUL. True if it found a valid
 * program, which then runs.
 */
bool sim_firmware_boot(const struct sim_firmware *board, char *text, size_t room);

/* The first output of that program. */
void sim_firmware_greet(const struct sim_firmware *board, char *text, size_t room);

/* The firmware's answer to a line; "" for an empty line. */
void sim_firmware_answer(const struct sim_firmware *board, const char *line, char *text,
                         size_t room);

/* The line printed every second; n counts from 0. */
void sim_firmware_report(unsigned n, char *text, size_t room);

#endif
