/* Any bytes as a region table, with a CRC-32 that fits where the first byte asks for it. */
#include <string.h>

#include "core/bytes/fields.h"
#include "door.h"
#include "wrytograph/bytes.h"
#include "wrytograph/layout.h"
#include "wrytograph/region_table.h"

static void layout_holds(const struct wry_region_table *table)
{
    uint32_t which = 0, other = 0;

    enum wry_layout_problem problem = wry_layout_check(table, 0x400000, &which, &other);
    MUST(problem == WRY_LAYOUT_FINE || problem == WRY_LAYOUT_EMPTY ||
         (which < table->count && other < WRY_REGION_MAX));
    for (uint32_t i = 0; i < table->count; i++) {
        const struct wry_region *region = &table->regions[i];
        MUST(wry_region_name_is_fit(region->name) && region->length > 0);
        MUST(region->length - 1 <= UINT32_MAX - region->offset);
        MUST(wry_layout_find(table, region->name) != NULL);
        MUST(wry_layout_at(table, region->offset) != NULL);
    }
}

int LLVMFuzzerTestOneInput(const uint8_t *bytes, size_t n)
{
    static uint8_t copy[4096], again[WRY_REGION_TABLE_SIZE_MAX];
    struct wry_region_table had, has;

    if (n < 1 || n - 1 > sizeof copy)
        return 0;
    n--;
    memcpy(copy, bytes + 1, n);
    if (bytes[0] % 2 && n > 6 && n >= WRY_REGION_TABLE_SIZE(copy[5])) {
        size_t covered = WRY_REGION_TABLE_SIZE(copy[5]) - 4;
        bytes_put32(copy + covered, wry_crc32(0, copy, covered));
    }
    if (!wry_region_table_get(&had, copy, n))
        return 0;
    layout_holds(&had);
    size_t length = wry_region_table_put(again, &had);
    MUST(wry_region_table_get(&has, again, length));
    MUST(has.count == had.count && has.flash_size == had.flash_size);
    for (uint32_t i = 0; i < has.count; i++)
        MUST(strcmp(has.regions[i].name, had.regions[i].name) == 0 &&
             has.regions[i].offset == had.regions[i].offset &&
             has.regions[i].length == had.regions[i].length);
    return 0;
}
