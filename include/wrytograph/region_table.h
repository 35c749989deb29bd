/*
 * The region table: where things lie in a board's flash, written in the flash itself.
 *
 * docs/region-table.md gives the layout: a head of 16 bytes, entries of 32 bytes, and a CRC-32 over
 * all before it. At most WRY_REGION_MAX entries, so a table fits one sector with room to spare.
 *
 *     struct wry_region_table table;
 *     if (wry_region_table_get(&table, bytes, length))
 *         for (uint32_t i = 0; i < table.count; i++)
 *             show(&table.regions[i]);
 */
#ifndef WRYTOGRAPH_REGION_TABLE_H
#define WRYTOGRAPH_REGION_TABLE_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "wrytograph/region.h"

#ifdef __cplusplus
extern "C" {
#endif

#define WRY_REGION_TABLE_SIZE(count) (16u + 32u * (count) + 4u)
#define WRY_REGION_TABLE_SIZE_MAX WRY_REGION_TABLE_SIZE(WRY_REGION_MAX)

/*
 * False when magic, version, count, CRC-32, a name or a range is wrong. Whether regions overlap is
 * for the layout to check.
 */
bool wry_region_table_get(struct wry_region_table *table, const uint8_t *bytes, size_t length);

/* Writes WRY_REGION_TABLE_SIZE(table->count) bytes and returns that. */
size_t wry_region_table_put(uint8_t *bytes, const struct wry_region_table *table);

#ifdef __cplusplus
}
#endif

#endif
