/* What a restore replaces. */
#include "jobs/flash/replaced.h"

#include <string.h>

#include "jobs/station/flash_reader.h"
#include "jobs/station/settings_read.h"
#include "store/archive/archive.h"
#include "wrytograph/boot_header.h"

static bool is_restored(const GArray *parts, const struct wry_region *region)
{
    for (guint i = 0; i < parts->len; i++) {
        const struct archive_range *part = &g_array_index(parts, struct archive_range, i);
        if (region->offset >= part->offset &&
            region->offset - part->offset + region->length <= part->length)
            return true;
    }
    return false;
}

/* The version of the program that begins there; false if there is none. */
static bool read_version(struct flash_reader *reader, uint32_t offset,
                         struct wry_boot_header *header)
{
    uint8_t bytes[WRY_BOOT_HEADER_SIZE];

    return flash_reader_read(reader, offset, bytes, sizeof bytes) &&
           wry_boot_header_present(bytes) && wry_boot_header_get(header, bytes);
}

static void add_program(GString *list, struct flash_reader *board, struct flash_reader *archive,
                        const struct wry_region *region)
{
    struct wry_boot_header now, then;

    if (read_version(board, region->offset, &now) && read_version(archive, region->offset, &then) &&
        strcmp(now.version, then.version) != 0)
        g_string_append_printf(list, "%s  %s: %s → %s", list->len > 0 ? "\n" : "", region->name,
                               now.version, then.version);
}

static void add_settings(GString *list, struct flash_reader *board, struct flash_reader *archive,
                         const struct wry_region *region)
{
    struct settings_copy now = {0}, then = {0};

    if (settings_read(board, region, &now) && settings_read(archive, region, &then) && now.found &&
        then.found && now.head.generation > then.head.generation)
        g_string_append_printf(list, "%s  %s: settings, change %u → change %u",
                               list->len > 0 ? "\n" : "", region->name,
                               (unsigned)now.head.generation, (unsigned)then.head.generation);
    g_free(now.bytes);
    g_free(then.bytes);
}

char *replaced_list(struct wry_station *station, const struct archive *archive, const GArray *parts)
{
    struct flash_reader board = {.station = station}, old = {.archive = archive};
    const struct wry_region_table *layout = &archive->layout;
    GString *list = g_string_new(NULL);

    for (uint32_t i = 0; i < layout->count; i++) {
        const struct wry_region *region = &layout->regions[i];
        if (!is_restored(parts, region))
            continue;
        if (region->kind == WRY_REGION_SETTINGS)
            add_settings(list, &board, &old, region);
        else if (region->kind == WRY_REGION_START || region->kind == WRY_REGION_APP)
            add_program(list, &board, &old, region);
    }
    bool any = list->len > 0 && board.status == WRY_OK;
    char *text = g_string_free(list, FALSE);
    if (!any)
        g_clear_pointer(&text, g_free);
    return text;
}
