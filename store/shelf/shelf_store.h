/*
 * The shelf: images stored by content, with the facts of their headers. A folder has the files,
 * named by their SHA-256, and shelf.db describes them. Equal content is stored once, under its
 * first name.
 *
 *     struct shelf *shelf = shelf_open(folder, stop, &error);
 *     g_autoptr(GPtrArray) items = shelf_items(shelf, &error);
 *     shelf_close(shelf);
 */
#pragma once

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph-host/shelf.h"
#include "wrytograph-host/stop.h"

struct shelf;

/* The folder named by WRYTOGRAPH_SHELF, else one in the XDG data folder. Free with g_free. */
char *shelf_default_folder(void);

/* Opens the shelf, creating it if necessary. */
struct shelf *shelf_open(const char *folder, struct wry_stop stop, GError **error);
void shelf_close(struct shelf *shelf);

/*
 * Stores a file. item describes it; its path, digest and date are filled in. *had: the content was
 * there already and nothing was changed.
 */
bool shelf_keep(struct shelf *shelf, const char *path, struct wry_shelf_item *item, bool *had,
                GError **error);

/* All images as struct wry_shelf_item, by name, then by version, the newest first. */
GPtrArray *shelf_items(struct shelf *shelf, GError **error);

/* Marks the image to use if several with its name and region kind fit. */
bool shelf_prefer(struct shelf *shelf, const struct wry_shelf_item *item, GError **error);
/* Keeps a copy of a settings description with an image. */
bool shelf_describe(struct shelf *shelf, const struct wry_shelf_item *item, const char *path,
                    GError **error);
bool shelf_remove(struct shelf *shelf, const struct wry_shelf_item *item, GError **error);
