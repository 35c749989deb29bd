/* Names of items of the shelf. */
#pragma once

#include "wrytograph-host/shelf.h"

/* "tide-gauge 2.3.1"; free with g_free. */
char *shelf_items_title(const struct wry_shelf_item *item);

/* True if the text is its name, its name and version, or these and the first digits of its SHA-256.
 */
bool shelf_items_is_named(const struct wry_shelf_item *item, const char *text);
