/*
 * The shelf: images of this computer, kept by content, with what their headers say.
 *
 * A folder with the files, each under its SHA-256, and shelf.db, which says what they are. The same
 * content is kept once, under the name it came with first.
 *
 *     struct shelf *shelf = shelf_open(folder, stop, &error);
 *     g_autoptr(GPtrArray) items = shelf_items(shelf, &error);
 *     shelf_close(shelf);
 */
#ifndef WRY_STORE_SHELF_STORE_H
#define WRY_STORE_SHELF_STORE_H

#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "wrytograph-host/shelf.h"
#include "wrytograph-host/stop.h"

struct shelf;

/* The folder named by WRYTOGRAPH_SHELF, else one in the XDG data folder. Free with g_free. */
char *shelf_default_folder(void);

/* Made when missing. */
struct shelf *shelf_open(const char *folder, struct wry_stop stop, GError **error);
void shelf_close(struct shelf *shelf);

/*
 * Keeps the file: item says what it is; its path, digest and day are filled in here. *had: its
 * content was there already, and nothing was changed.
 */
bool shelf_keep(struct shelf *shelf, const char *path, struct wry_shelf_item *item, bool *had,
                GError **error);

/* All of struct wry_shelf_item, by name and then by version, the newest first. */
GPtrArray *shelf_items(struct shelf *shelf, GError **error);

/* The one of its name and region kind that is taken where several fit. */
bool shelf_prefer(struct shelf *shelf, const struct wry_shelf_item *item, GError **error);
bool shelf_remove(struct shelf *shelf, const struct wry_shelf_item *item, GError **error);

#endif
