/* The region table in flash. */
#include "wrytograph/region_table.h"
#include "bytes/fields.h"

#include "bytes/memory.h"

#include "wrytograph/bytes.h"
#include "wrytograph/flash.h"

static const uint8_t magic[4] = {'W', 'R', 'Y', 'R'};

enum {
    HEAD_SIZE = 16,
    ENTRY_SIZE = 32,
    TABLE_VERSION = 1,
};

static bool get_entry(struct wry_region *region, const uint8_t *entry)
{
    memcpy(region->name, entry, WRY_REGION_NAME_SIZE);
    region->name[WRY_REGION_NAME_SIZE] = '\0';
    if (!wry_region_name_is_fit(region->name))
        return false;
    region->kind = entry[16];
    region->offset = bytes_get32(entry + 20);
    region->length = bytes_get32(entry + 24);
    return region->length > 0 && (region->offset | region->length) % WRY_SECTOR_SIZE == 0 &&
           region->length <= UINT32_MAX - region->offset;
}

bool wry_region_table_get(struct wry_region_table *table, const uint8_t *bytes, size_t length)
{
    if (length < HEAD_SIZE || memcmp(bytes, magic, sizeof magic) != 0 ||
        bytes[4] != TABLE_VERSION || bytes[5] > WRY_REGION_MAX)
        return false;
    table->count = bytes[5];
    table->flash_size = bytes_get32(bytes + 8);
    size_t covered = HEAD_SIZE + (size_t)ENTRY_SIZE * table->count;
    if (length < covered + 4 || bytes_get32(bytes + covered) != wry_crc32(0, bytes, covered))
        return false;
    for (uint32_t i = 0; i < table->count; i++) {
        if (!get_entry(&table->regions[i], bytes + HEAD_SIZE + (size_t)ENTRY_SIZE * i))
            return false;
    }
    return true;
}

size_t wry_region_table_put(uint8_t *bytes, const struct wry_region_table *table)
{
    size_t covered = HEAD_SIZE + (size_t)ENTRY_SIZE * table->count;

    memset(bytes, 0, covered);
    memcpy(bytes, magic, sizeof magic);
    bytes[4] = TABLE_VERSION;
    bytes[5] = (uint8_t)table->count;
    bytes_put32(bytes + 8, table->flash_size);
    for (uint32_t i = 0; i < table->count; i++) {
        uint8_t *entry = bytes + HEAD_SIZE + (size_t)ENTRY_SIZE * i;
        const struct wry_region *region = &table->regions[i];
        for (uint32_t k = 0; k < WRY_REGION_NAME_SIZE && region->name[k] != '\0'; k++)
            entry[k] = (uint8_t)region->name[k];
        entry[16] = region->kind;
        bytes_put32(entry + 20, region->offset);
        bytes_put32(entry + 24, region->length);
    }
    bytes_put32(bytes + covered, wry_crc32(0, bytes, covered));
    return covered + 4;
}
