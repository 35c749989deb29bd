/* Built-in layouts, checks and lookups. */
#include "wrytograph/layout.h"

#include "bytes/memory.h"
#include <stddef.h>

#include "flash_names.h"
#include "wrytograph/flash.h"

static uint32_t resolve(const struct wry_usual_bound *bound, uint32_t flash_size)
{
    switch (bound->from) {
    case WRY_USUAL_MIDDLE:
        return flash_size / 2 + bound->value;
    case WRY_USUAL_END:
        return flash_size - bound->value;
    default:
        return bound->value;
    }
}

bool wry_layout_built_in(struct wry_region_table *layout, const struct wry_chip *chip,
                         uint32_t flash_size)
{
    memset(layout, 0, sizeof *layout);
    layout->flash_size = flash_size;
    if (flash_size < chip->flash_min || flash_size > chip->flash_max)
        return false;
    for (size_t i = 0; i < chip->usual_count && i < WRY_REGION_MAX; i++) {
        const struct wry_usual_region *usual = &chip->usual[i];
        struct wry_region *region = &layout->regions[layout->count++];
        for (size_t k = 0; k < WRY_REGION_NAME_SIZE && usual->name[k] != '\0'; k++)
            region->name[k] = usual->name[k];
        region->kind = usual->kind;
        region->offset = resolve(&usual->start, flash_size);
        region->length = resolve(&usual->end, flash_size) - region->offset;
    }
    return layout->count > 0;
}

static enum wry_layout_problem check_pair(const struct wry_region *a, const struct wry_region *b)
{
    if (names_are_same(a->name, b->name))
        return WRY_LAYOUT_REPEATED;
    if (a->offset < b->offset + b->length && b->offset < a->offset + a->length)
        return WRY_LAYOUT_OVERLAP;
    return WRY_LAYOUT_FINE;
}

static enum wry_layout_problem check_region(const struct wry_region *region, uint32_t flash_size)
{
    if (!wry_region_name_is_fit(region->name))
        return WRY_LAYOUT_BAD_NAME;
    if (region->length == 0 || (region->offset | region->length) % WRY_SECTOR_SIZE != 0)
        return WRY_LAYOUT_UNALIGNED;
    if (region->offset >= flash_size || region->length > flash_size - region->offset)
        return WRY_LAYOUT_BEYOND;
    return WRY_LAYOUT_FINE;
}

enum wry_layout_problem wry_layout_check(const struct wry_region_table *layout, uint32_t flash_size,
                                         uint32_t *which, uint32_t *other)
{
    *which = *other = 0;
    if (layout->count == 0)
        return WRY_LAYOUT_EMPTY;
    for (*which = 0; *which < layout->count; ++*which) {
        enum wry_layout_problem problem = check_region(&layout->regions[*which], flash_size);
        for (*other = 0; problem == WRY_LAYOUT_FINE && *other < *which; ++*other) {
            problem = check_pair(&layout->regions[*which], &layout->regions[*other]);
            if (problem != WRY_LAYOUT_FINE)
                return problem;
        }
        if (problem != WRY_LAYOUT_FINE)
            return problem;
    }
    return WRY_LAYOUT_FINE;
}

const struct wry_region *wry_layout_find(const struct wry_region_table *layout, const char *name)
{
    for (uint32_t i = 0; i < layout->count; i++) {
        if (names_are_same(layout->regions[i].name, name))
            return &layout->regions[i];
    }
    return NULL;
}

const struct wry_region *wry_layout_at(const struct wry_region_table *layout, uint32_t offset)
{
    for (uint32_t i = 0; i < layout->count; i++) {
        const struct wry_region *region = &layout->regions[i];
        if (offset >= region->offset && offset - region->offset < region->length)
            return region;
    }
    return NULL;
}
