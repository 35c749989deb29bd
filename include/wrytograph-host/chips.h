/*
 * The chips that the hosted library knows: the built-in ones (chip.h), those of chip files
 * (docs/chip-file.md), and those that a program adds. All have the same rights: a board is
 * recognised by its chip's code, and cards, layouts and plans know it by name.
 *
 *     g_autoptr(GError) error = NULL;
 *     if (!wry_chips_load_folders(&error) || !wry_chips_load("heron-h1.yaml", &error))
 *         fprintf(stderr, "%s\n", error->message);
 *
 * One list for the whole program, for all threads. Chips stay known until the program ends: a
 * pointer to one is good for as long.
 *
 * Of two chips with one code or name, the one given last in this order is found: system's folder,
 * user's folder, card or kit, wry_chips_load and wry_chips_add. The codes and names of the built-in
 * chips cannot be taken. Errors are of the domain WRY_STORE_ERROR (error.h); they name file and
 * line.
 */
#ifndef WRYTOGRAPH_HOST_CHIPS_H
#define WRYTOGRAPH_HOST_CHIPS_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph/chip.h"

#ifdef __cplusplus
extern "C" {
#endif

/* The chip with this code, as a board reports it; NULL if it is unknown. */
const struct wry_chip *wry_chips_by_code(uint16_t code);
/* The chip with this name; NULL if it is unknown. */
const struct wry_chip *wry_chips_by_name(const char *name);
/* The n-th chip, counting from 0, the built-in ones first; NULL past the last. */
const struct wry_chip *wry_chips_at(size_t n);

/* "sanderling-s1, turnstone-t2 and dunlin-d3"; free with g_free. */
char *wry_chips_names(void);

/* Reads a chip file. NULL if the file is wrong, or if its code or name is taken. */
const struct wry_chip *wry_chips_load(const char *path, GError **error);

/* Adds a chip of the program's own; it is copied. NULL if it is not valid, or taken. */
const struct wry_chip *wry_chips_add(const struct wry_chip *chip, GError **error);

/* Reads all files *.yaml in the folder chips of the system's data folders and of the user's
 * configuration folder (XDG Base Directory Specification, wrytograph/chips there). A missing folder
 * is fine; FALSE if one cannot be read or one of the files is wrong. */
gboolean wry_chips_load_folders(GError **error);

#ifdef __cplusplus
}
#endif

#endif
