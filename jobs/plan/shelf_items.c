/* Items of the shelf: their names, and which boards they fit. */
#include "jobs/plan/shelf_items.h"

#include <string.h>

char *shelf_items_title(const struct wry_shelf_item *item)
{
    return item->version[0] ? g_strdup_printf("%s %s", item->name, item->version)
                            : g_strdup(item->name);
}

bool shelf_items_is_named(const struct wry_shelf_item *item, const char *text)
{
    g_autofree char *title = shelf_items_title(item);

    return strcmp(text, item->name) == 0 || strcmp(text, title) == 0;
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
