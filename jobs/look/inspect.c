/* Inspect: what a file contains. */
#include "wrytograph-host/inspect.h"

#include <string.h>

#include "chips/chip_file.h"
#include "jobs/look/contents.h"
#include "jobs/plan/placed_image.h"
#include "store/archive/archive.h"
#include "store/card/card_data.h"
#include "store/card/kit.h"
#include "store/file/error.h"
#include "store/file/file_kind.h"
#include "store/image/layout_file.h"
#include "store/image/settings_file.h"
#include "store/image/steps_file.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/shelf.h"
#include "wrytograph/bytes.h"
#include "wrytograph/layout.h"
#include "wrytograph/region_table.h"

static void add_range(struct wry_inspection *inspection, uint32_t offset, uint32_t length,
                      const uint8_t *sha256)
{
    struct wry_inspected_range range = {.offset = offset, .length = length};

    if (sha256)
        memcpy(range.sha256, sha256, sizeof range.sha256);
    g_array_append_val(inspection->ranges, range);
}

static gboolean inspect_archive(const char *path, struct wry_inspection *inspection, GError **error)
{
    struct archive *archive = archive_open(path, error);

    if (!archive)
        return FALSE;
    inspection->kind = WRY_FILE_ARCHIVE;
    inspection->whole = true; /* otherwise it would not have opened */
    inspection->chip = wry_chips_by_code(archive->chip_code);
    inspection->flash_size = archive->flash_size;
    memcpy(inspection->address, archive->eui48, sizeof inspection->address);
    inspection->created = g_strdup(archive->created);
    inspection->tool = g_strdup(archive->tool);
    inspection->has_layout = true;
    inspection->layout = archive->layout;
    for (guint i = 0; i < archive->ranges->len; i++) {
        const struct archive_range *range =
            &g_array_index(archive->ranges, struct archive_range, i);
        add_range(inspection, range->offset, range->length, range->sha256);
    }
    struct flash_reader reader = {.archive = archive};
    g_autoptr(GPtrArray) items = wry_shelf_items(NULL, NULL);
    contents_look(&reader, &archive->layout, false, true, items, &inspection->contents);
    archive_close(archive);
    return TRUE;
}

static gboolean inspect_layout(const char *path, struct wry_inspection *inspection, GError **error)
{
    struct layout_file file;

    if (!layout_file_load(path, 0, &file, error))
        return FALSE;
    inspection->kind = WRY_FILE_LAYOUT;
    inspection->whole = true;
    inspection->chip = file.chip;
    inspection->has_layout = true;
    inspection->layout = file.layout;
    inspection->open_ended = file.open_ended;
    return TRUE;
}

static void show_settings(const struct settings *settings, struct wry_inspection *inspection)
{
    inspection->settings = g_ptr_array_new_with_free_func(contents_free_setting);
    for (guint i = 0; i < settings_count(settings); i++)
        g_ptr_array_add(inspection->settings, contents_shown(settings_at(settings, i)));
}

static gboolean inspect_settings(const char *path, struct wry_inspection *inspection,
                                 GError **error)
{
    struct settings *settings = settings_load(path, error);

    if (!settings)
        return FALSE;
    inspection->kind = WRY_FILE_SETTINGS;
    inspection->whole = true;
    show_settings(settings, inspection);
    settings_free(settings);
    return TRUE;
}

static gboolean inspect_steps(const char *path, struct wry_inspection *inspection, GError **error)
{
    g_autoptr(GPtrArray) steps = wry_console_steps_load(path, error);

    if (!steps)
        return FALSE;
    inspection->kind = WRY_FILE_STEPS;
    inspection->whole = true;
    inspection->step_count = steps->len;
    return TRUE;
}

static gboolean inspect_chip(const char *path, struct wry_inspection *inspection, GError **error)
{
    const struct wry_chip *chip = chip_file_load(path, error);

    if (!chip)
        return FALSE;
    inspection->kind = WRY_FILE_CHIP;
    inspection->whole = true;
    inspection->chip = chip;
    inspection->has_layout = wry_layout_built_in(&inspection->layout, chip, chip->flash_min);
    return TRUE;
}

/* True if the image is undamaged, by the checksums in it. */
static bool read_program(const struct image_file *file, struct wry_inspection *inspection)
{
    const struct image_extent *first = &g_array_index(file->extents, struct image_extent, 0);
    uint8_t bytes[WRY_BOOT_HEADER_SIZE];

    if (first->length < sizeof bytes ||
        !image_file_read(file, first->address, bytes, sizeof bytes) ||
        !wry_boot_header_present(bytes))
        return true;
    inspection->header_state = WRY_HEADER_DAMAGED;
    if (!wry_boot_header_get(&inspection->header, bytes))
        return false;
    inspection->header_state = WRY_HEADER_FITS;
    return image_body_is_whole(file, first->address, &inspection->header);
}

static void read_table(const struct image_file *file, struct wry_inspection *inspection)
{
    const struct image_extent *first = &g_array_index(file->extents, struct image_extent, 0);
    uint8_t bytes[WRY_REGION_TABLE_SIZE_MAX];
    size_t n = MIN(first->length, sizeof bytes);

    inspection->has_layout = image_file_read(file, first->address, bytes, n) &&
                             wry_region_table_get(&inspection->layout, bytes, n);
}

/* True if all content is erased flash. */
static bool is_blank(const struct image_file *file)
{
    const struct image_extent *first = &g_array_index(file->extents, struct image_extent, 0);
    uint8_t bytes[4096];

    for (uint32_t at = 0; at < first->length; at += (uint32_t)sizeof bytes) {
        size_t n = MIN(first->length - at, sizeof bytes);
        if (!image_file_read(file, first->address + at, bytes, n) || !wry_bytes_blank(bytes, n))
            return false;
    }
    return file->extents->len == 1;
}

static bool read_module(const struct image_file *file, struct wry_inspection *inspection)
{
    const struct image_extent *first = &g_array_index(file->extents, struct image_extent, 0);
    uint8_t head[WRY_MODULE_IMAGE_HEAD];

    return image_file_read(file, first->address, head, sizeof head) &&
           wry_module_image_get(&inspection->module, head) &&
           image_module_is_whole(file, first->address, &inspection->module);
}

/* What write would say of the content. */
static gboolean recognise(const char *path, const struct image_file *file,
                          struct wry_inspection *inspection, GError **error)
{
    const struct image_extent *first = &g_array_index(file->extents, struct image_extent, 0);
    uint32_t n = MIN(first->length, CONTENT_LOOKED_AT);

    if (inspection->header_state != WRY_HEADER_NONE || inspection->has_layout)
        return TRUE;
    inspection->blank = is_blank(file);
    if (inspection->blank || file->format != WRY_IMAGE_RAW)
        return TRUE;
    uint8_t *bytes = g_malloc(n);
    gboolean good = !image_file_read(file, first->address, bytes, n) ||
                    content_recognise(path, bytes, n, &inspection->content, error);
    g_free(bytes);
    if (inspection->content == WRY_CONTENT_MODULE)
        inspection->whole = read_module(file, inspection);
    return good;
}

static gboolean inspect_image(const char *path, const enum wry_image_format *format,
                              struct wry_inspection *inspection, GError **error)
{
    struct image_file *file = image_file_open(path, format, error);

    if (!file)
        return FALSE;
    inspection->kind = WRY_FILE_IMAGE;
    inspection->format = file->format;
    inspection->content_bytes = file->length;
    for (guint i = 0; i < file->extents->len; i++) {
        const struct image_extent *extent = &g_array_index(file->extents, struct image_extent, i);
        add_range(inspection, extent->address, extent->length, NULL);
    }
    inspection->whole = read_program(file, inspection);
    read_table(file, inspection);
    if (!recognise(path, file, inspection, error)) {
        image_file_free(file);
        return FALSE;
    }
    gboolean read = image_digest(file, inspection->sha256);
    if (!read)
        store_error(error, WRY_STORE_ERROR_FILE, "%s: cannot be read to its end", path);
    image_file_free(file);
    return read;
}

static bool is_yaml(const char *path)
{
    return g_str_has_suffix(path, ".yaml") || g_str_has_suffix(path, ".yml");
}

enum wry_file_kind wry_file_kind_of(const char *path)
{
    if (kit_is_one(path) || card_is_one(path))
        return WRY_FILE_CARD;
    if (archive_is_one(path))
        return WRY_FILE_ARCHIVE;
    if (chip_file_is_one(path))
        return WRY_FILE_CHIP;
    if (settings_is_file(path))
        return WRY_FILE_SETTINGS;
    if (steps_file_is_one(path))
        return WRY_FILE_STEPS;
    return is_yaml(path) ? WRY_FILE_LAYOUT : WRY_FILE_IMAGE;
}

gboolean wry_inspect_file(const char *path, const enum wry_image_format *format,
                          struct wry_inspection *inspection, GError **error)
{
    *inspection = (struct wry_inspection){
        .ranges = g_array_new(FALSE, FALSE, sizeof(struct wry_inspected_range))};
    switch (format ? WRY_FILE_IMAGE : wry_file_kind_of(path)) {
    case WRY_FILE_ARCHIVE:
        return inspect_archive(path, inspection, error);
    case WRY_FILE_SETTINGS:
        return inspect_settings(path, inspection, error);
    case WRY_FILE_STEPS:
        return inspect_steps(path, inspection, error);
    case WRY_FILE_CHIP:
        return inspect_chip(path, inspection, error);
    case WRY_FILE_LAYOUT:
        return inspect_layout(path, inspection, error);
    case WRY_FILE_CARD: /* see card.h */
        if (is_yaml(path))
            return inspect_layout(path, inspection, error);
        break;
    case WRY_FILE_IMAGE:
        break;
    }
    return inspect_image(path, format, inspection, error);
}

void wry_inspection_clear(struct wry_inspection *inspection)
{
    if (inspection->ranges)
        g_array_free(inspection->ranges, TRUE);
    if (inspection->contents)
        g_ptr_array_unref(inspection->contents);
    if (inspection->settings)
        g_ptr_array_unref(inspection->settings);
    g_free(inspection->created);
    g_free(inspection->tool);
    *inspection = (struct wry_inspection){0};
}
