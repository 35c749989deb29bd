/* Settings descriptions. */
#include "jobs/plan/described.h"

#include <string.h>

#include "jobs/station/flash_reader.h"
#include "store/image/layout_file.h"
#include "wrytograph-host/shelf.h"

static char *of_images(const struct wry_image_set *held)
{
    for (size_t i = 0; held && i < held->count; i++) {
        if (held->images[i]->settings_description)
            return g_strdup(held->images[i]->settings_description);
    }
    return NULL;
}

/* The items of the shelf that are described; NULL if it cannot be read, which is noted. */
static GPtrArray *described_items(const struct wry_station *station)
{
    g_autoptr(GError) error = NULL;
    GPtrArray *items = wry_shelf_items(NULL, &error);

    if (!items)
        station_note(station, WRY_NOTE_SHELF_UNREAD, error->message);
    for (guint i = items ? items->len : 0; i > 0; i--) {
        const struct wry_shelf_item *item = g_ptr_array_index(items, i - 1);
        if (!item->settings_description)
            g_ptr_array_remove_index(items, i - 1);
    }
    return items;
}

/* The digest behind the body of the program in a region. */
static bool read_body_digest(struct wry_station *station, const struct wry_region *region,
                             uint8_t digest[WRY_SHA256_SIZE])
{
    struct flash_reader reader = {.station = station};
    uint8_t bytes[WRY_BOOT_HEADER_SIZE];
    struct wry_boot_header header;

    return flash_reader_read(&reader, region->offset, bytes, sizeof bytes) &&
           wry_boot_header_present(bytes) && wry_boot_header_get(&header, bytes) &&
           header.body_length <= region->length - WRY_BOOT_HEADER_SIZE - WRY_SHA256_SIZE &&
           flash_reader_read(&reader, region->offset + WRY_BOOT_HEADER_SIZE + header.body_length,
                             digest, WRY_SHA256_SIZE);
}

/* The description of the program that the board has. Nothing is read if the shelf has none. */
static char *of_board(struct wry_station *station, const struct target *target)
{
    g_autoptr(GPtrArray) items = described_items(station);
    const struct wry_region_table *layout = &target->layout.table;
    uint8_t digest[WRY_SHA256_SIZE];

    for (uint32_t i = 0; i < layout->count && items && items->len > 0; i++) {
        if (layout->regions[i].kind != WRY_REGION_APP ||
            !read_body_digest(station, &layout->regions[i], digest))
            continue;
        for (guint k = 0; k < items->len; k++) {
            const struct wry_shelf_item *item = g_ptr_array_index(items, k);
            if (memcmp(item->body_sha256, digest, sizeof digest) == 0)
                return g_strdup(item->settings_description);
        }
    }
    return NULL;
}

static char *find_path(struct wry_station *station, const struct target *target,
                       const struct wry_image_set *held)
{
    const struct wry_station_settings *settings = &station->settings;
    char *path = g_strdup(settings->settings_description);

    if (!path && settings->layout_file)
        path = layout_file_settings_description(settings->layout_file, true);
    if (!path)
        path = of_images(held);
    return !path && target && target->on_link ? of_board(station, target) : path;
}

struct wry_problem *described_load(struct wry_station *station, const struct target *target,
                                   const struct wry_image_set *held,
                                   const struct settings_description **description)
{
    g_autofree char *path = find_path(station, target, held);
    GError *error = NULL;

    settings_description_free(station->description);
    station->description = path ? settings_description_load(path, &error) : NULL;
    *description = station->description;
    return error ? problem_of_error(error) : NULL;
}
