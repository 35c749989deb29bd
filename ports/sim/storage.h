/*
 * What the tide-gauge firmware does with the regions of its flash that are not programs: it shows
 * and changes its settings block, and lists the files of its archive.
 */
#ifndef WRY_SIM_STORAGE_H
#define WRY_SIM_STORAGE_H

#include <stddef.h>

#include "firmware_view.h"

/* All settings, a line each; secret ones without their value. */
void sim_storage_settings(const struct sim_firmware *board, char *text, size_t room);

/* "KEY VALUE": the next generation goes into the other copy, as docs/settings-block.md asks. */
void sim_storage_set(const struct sim_firmware *board, const char *words, char *text, size_t room);

/* Names of the files in the ustar archive of the first files region. */
void sim_storage_files(const struct sim_firmware *board, char *text, size_t room);

#endif
