/* Items of the shelf by name. */
#ifndef WRY_JOBS_SHELF_ITEMS_H
#define WRY_JOBS_SHELF_ITEMS_H

#include "wrytograph-host/shelf.h"

/* "tide-gauge 2.3.1"; g_free. */
char *shelf_items_title(const struct wry_shelf_item *item);

/* Whether the text is its name, or name and version. */
bool shelf_items_is_named(const struct wry_shelf_item *item, const char *text);

#endif
