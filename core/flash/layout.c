/* Built-in layouts, checks and lookups. */
#include "wrytograph/layout.h"

#include "bytes/memory.h"
#include <stddef.h>

#include "flash_names.h"
#include "wrytograph/flash.h"

/* Reference point of a built-in region's bounds, for any flash size. */
enum anchor {
    FROM_START,  /* value */
    FROM_MIDDLE, /* half the flash + value */
    FROM_END,    /* the flash size - value */
};

struct bound {
    enum anchor anchor;
    uint32_t value;
};

struct template_region {
    const char *name;
    struct bound start, end;
    uint16_t chip_code;
    uint8_t kind;
};

static const struct template_region templates[] = {
    {"app", {FROM_START, 0}, {FROM_END, 0x10000}, WRY_CHIP_SANDERLING_S1, WRY_REGION_APP},
    {"calibration",
     {FROM_END, 0x10000},
     {FROM_END, 0},
     WRY_CHIP_SANDERLING_S1,
     WRY_REGION_SETTINGS},

    {"start", {FROM_START, 0x4000}, {FROM_START, 0xE000}, WRY_CHIP_TURNSTONE_T2, WRY_REGION_START},
    {"table", {FROM_START, 0xE000}, {FROM_START, 0xF000}, WRY_CHIP_TURNSTONE_T2, WRY_REGION_TABLE},
    {"calibration",
     {FROM_START, 0x10000},
     {FROM_START, 0x40000},
     WRY_CHIP_TURNSTONE_T2,
     WRY_REGION_SETTINGS},
    {"app", {FROM_START, 0x40000}, {FROM_MIDDLE, 0}, WRY_CHIP_TURNSTONE_T2, WRY_REGION_APP},
    {"files", {FROM_MIDDLE, 0}, {FROM_END, 0}, WRY_CHIP_TURNSTONE_T2, WRY_REGION_FILES},

    {"start", {FROM_START, 0}, {FROM_START, 0x10000}, WRY_CHIP_DUNLIN_D3, WRY_REGION_START},
    {"calibration",
     {FROM_START, 0x10000},
     {FROM_START, 0x30000},
     WRY_CHIP_DUNLIN_D3,
     WRY_REGION_SETTINGS},
    {"app", {FROM_START, 0x30000}, {FROM_MIDDLE, 0}, WRY_CHIP_DUNLIN_D3, WRY_REGION_APP},
    {"files", {FROM_MIDDLE, 0}, {FROM_END, 0}, WRY_CHIP_DUNLIN_D3, WRY_REGION_FILES},
};

static uint32_t resolve(const struct bound *bound, uint32_t flash_size)
{
    switch (bound->anchor) {
    case FROM_START:
        return bound->value;
    case FROM_MIDDLE:
        return flash_size / 2 + bound->value;
    case FROM_END:
        return flash_size - bound->value;
    }
    return 0;
}

bool wry_layout_built_in(struct wry_region_table *layout, const struct wry_chip *chip,
                         uint32_t flash_size)
{
    memset(layout, 0, sizeof *layout);
    layout->flash_size = flash_size;
    if (flash_size < chip->flash_min || flash_size > chip->flash_max)
        return false;
    for (size_t i = 0; i < sizeof templates / sizeof templates[0]; i++) {
        const struct template_region *t = &templates[i];
        if (t->chip_code != chip->code)
            continue;
        struct wry_region *region = &layout->regions[layout->count++];
        for (size_t k = 0; t->name[k] != '\0'; k++)
            region->name[k] = t->name[k];
        region->kind = t->kind;
        region->offset = resolve(&t->start, flash_size);
        region->length = resolve(&t->end, flash_size) - region->offset;
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
