/*
 * Chip files (docs/chip-file.md): a chip as YAML.
 *
 *     g_autoptr(GError) error = NULL;
 *     const struct wry_chip *chip = chip_file_load("heron-h1.yaml", &error);
 */
#pragma once

#include <glib.h>
#include <stdbool.h>

#include "wrytograph/chip.h"

/* Reads and checks a chip file. The chip is kept until the program ends (see chips.h), but nobody
 * finds it by name or code. NULL with an error of WRY_STORE_ERROR and file and line. */
const struct wry_chip *chip_file_load(const char *path, GError **error);

/* True if the file is named .yaml or .yml and describes a chip. */
bool chip_file_is_one(const char *path);

/* The chip as a chip file; free with g_free. */
char *chip_file_text(const struct wry_chip *chip);
