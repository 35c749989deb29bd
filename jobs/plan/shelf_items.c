/* Items of the shelf: their names, and which boards they fit. */
#include "jobs/plan/shelf_items.h"

#include <string.h>

#include "wrytograph-host/units.h"

enum {
    DIGITS_SHOWN = 8,
    DIGITS_LEAST = 6, /* of a digest in a name */
};

char *shelf_items_title(const struct wry_shelf_item *item)
{
    return item->version[0] ? g_strdup_printf("%s %s", item->name, item->version)
                            : g_strdup(item->name);
}

char *wry_shelf_item_title(const struct wry_shelf_item *item, const GPtrArray *items)
{
    g_autofree char *title = shelf_items_title(item);
    g_autofree char *digest = wry_units_digest(item->sha256);
    unsigned same = 0;

    for (guint i = 0; i < items->len; i++) {
        g_autofree char *other = shelf_items_title(g_ptr_array_index(items, i));
        same += strcmp(title, other) == 0;
    }
    return same > 1 ? g_strdup_printf("%s %.*s", title, DIGITS_SHOWN, digest)
                    : g_steal_pointer(&title);
}

/* True if text is title, a space, and the first digits of the item's digest. */
static bool is_named_by_digest(const struct wry_shelf_item *item, const char *title,
                               const char *text)
{
    g_autofree char *digest = wry_units_digest(item->sha256);
    size_t n = strlen(title);

    return strncmp(text, title, n) == 0 && text[n] == ' ' && strlen(text + n + 1) >= DIGITS_LEAST &&
           g_str_has_prefix(digest, text + n + 1);
}

bool shelf_items_is_named(const struct wry_shelf_item *item, const char *text)
{
    g_autofree char *title = shelf_items_title(item);

    return strcmp(text, item->name) == 0 || strcmp(text, title) == 0 ||
           is_named_by_digest(item, title, text);
}

static bool is_of_kind(const struct wry_shelf_item *item, const struct wry_region *region)
{
    if (item->is_table)
        return region->kind == WRY_REGION_TABLE;
    return (region->kind == WRY_REGION_START || region->kind == WRY_REGION_APP) &&
           (item->kind == WRY_PROGRAM_UNSAID || item->kind == region->kind);
}

enum wry_shelf_fit wry_shelf_judge(const struct wry_shelf_item *item, const struct wry_chip *chip,
                                   uint32_t flash_size, const struct wry_region_table *layout,
                                   const struct wry_region **region)
{
    enum wry_shelf_fit fit = WRY_SHELF_NO_REGION;

    if (region)
        *region = NULL;
    if (item->kind == WRY_SHELF_MODULE && !item->is_table)
        return WRY_SHELF_FOR_MODULE;
    if (item->chip_code > 0 && chip && item->chip_code != chip->code)
        return WRY_SHELF_OTHER_CHIP;
    if (item->flash_size > flash_size)
        return WRY_SHELF_LARGER_FLASH;
    for (uint32_t i = 0; i < layout->count; i++) {
        if (!is_of_kind(item, &layout->regions[i]))
            continue;
        fit = WRY_SHELF_TOO_LARGE;
        if (item->size > layout->regions[i].length)
            continue;
        if (region)
            *region = &layout->regions[i];
        return WRY_SHELF_FITS;
    }
    return fit;
}
