/*
 * What the tide-gauge firmware does with its other regions: it shows and changes its settings block
 * and lists the files of its archive.
 */
#ifndef WRY_SIM_STORAGE_H
#define WRY_SIM_STORAGE_H

#include <stddef.h>

#include "firmware_view.h"

/* All settings, one per line; secret ones without value. */
void sim_storage_settings(const struct sim_firmware *board, char *text, size_t room);

/* Sets "KEY VALUE" by writing the next generation into the other slot (docs/settings-block.md). */
void sim_storage_set(const struct sim_firmware *board, const char *words, char *text, size_t room);

/* Names of the files in the ustar archive of the first files region. */
void sim_storage_files(const struct sim_firmware *board, char *text, size_t room);

#endif
