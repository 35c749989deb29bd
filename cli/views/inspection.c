/* What a file contains, as lines. */
#include "inspection.h"

#include "contents_table.h"
#include "words.h"
#include "wrytograph-host/units.h"

enum {
    SHOWN_MAX = 12, /* ranges printed; JSON has them all */
};

static void show(const struct app *app, const char *name, const char *value)
{
    app_print(app, "%-10s %s", name, value);
}

/* Regions that reach the largest flash end where the flash of the board does, if open-ended. */
static void print_regions(const struct app *app, const struct wry_inspection *inspection)
{
    const struct wry_region_table *layout = &inspection->layout;

    for (uint32_t i = 0; inspection->has_layout && i < layout->count; i++) {
        const struct wry_region *region = &layout->regions[i];
        bool rest =
            inspection->open_ended && region->offset + (uint64_t)region->length >= WRY_FLASH_MAX;
        g_autofree char *length = rest ? g_strdup("the rest") : wry_units_bytes(region->length);
        g_autofree char *end =
            rest ? g_strdup("the end ")
                 : g_strdup_printf("0x%06X", (unsigned)(region->offset + region->length - 1));
        app_print(app, "%-10s 0x%06X to %s  %-12s %-12s %s", i == 0 ? "regions" : "",
                  (unsigned)region->offset, end, length, region->name,
                  wry_region_kind_name(region->kind));
    }
}

static void print_archive(const struct app *app, const struct wry_inspection *inspection)
{
    g_autofree char *address = wry_units_address(inspection->address);
    g_autofree char *size = wry_units_flash_size(inspection->flash_size);

    show(app, "format", "backup archive");
    show(app, "board", address);
    show(app, "chip", inspection->chip ? inspection->chip->title : "unknown");
    show(app, "flash", size);
    show(app, "made", inspection->created);
    show(app, "by", inspection->tool);
    for (guint i = 0; i < inspection->ranges->len; i++) {
        const struct wry_inspected_range *range =
            &g_array_index(inspection->ranges, struct wry_inspected_range, i);
        g_autofree char *sha256 = wry_units_digest(range->sha256);
        app_print(app, "%-10s 0x%06X to 0x%06X  SHA-256 %s", i == 0 ? "holds" : "",
                  (unsigned)range->offset, (unsigned)(range->offset + range->length - 1), sha256);
    }
    if (inspection->contents && inspection->contents->len > 0)
        contents_table_print(app, "regions", inspection->contents);
    app_outcome(app, true, "The archive is whole: every range fits its SHA-256.");
}

static void print_extents(const struct app *app, const GArray *ranges)
{
    for (guint i = 0; i < MIN(ranges->len, SHOWN_MAX); i++) {
        const struct wry_inspected_range *range =
            &g_array_index(ranges, struct wry_inspected_range, i);
        g_autofree char *length = wry_units_bytes(range->length);
        app_print(app, "%-10s 0x%08X to 0x%08X  %s", i == 0 ? "holds" : "", (unsigned)range->offset,
                  (unsigned)(range->offset + range->length - 1), length);
    }
    if (ranges->len > SHOWN_MAX)
        app_print(app, "%-10s and %u more stretches", "", ranges->len - SHOWN_MAX);
}

static void print_header(const struct app *app, const struct wry_inspection *inspection)
{
    const struct wry_boot_header *header = &inspection->header;
    g_autofree char *body = wry_units_bytes(header->body_length);
    g_autofree char *mode = words_read_mode(header);
    g_autofree char *flash = words_header_flash(header);
    const struct wry_chip *chip = wry_chip_by_code(header->chip_code);

    show(app, "header", words_header_state(inspection->header_state));
    if (inspection->header_state != WRY_HEADER_FITS)
        return;
    g_autofree char *program = g_strdup_printf(
        "%s%s%s", header->version, header->kind == WRY_PROGRAM_UNSAID ? "" : ", ",
        header->kind == WRY_PROGRAM_UNSAID ? "" : wry_program_kind_title(header->kind));
    show(app, "program", program);
    if (header->only_upgrade)
        show(app, "meant", "only as an upgrade of a board that has a program");
    show(app, "built for", chip ? chip->title : "a chip unknown here");
    show(app, "flash", flash);
    show(app, "read mode", mode);
    show(app, "body", body);
    show(app, "digest", words_body_digest(inspection->whole));
}

static void print_image(const struct app *app, const struct wry_inspection *inspection)
{
    g_autofree char *content = wry_units_bytes(inspection->content_bytes);
    g_autofree char *sha256 = wry_units_digest(inspection->sha256);

    show(app, "format", wry_image_format_title(inspection->format));
    show(app, "content", content);
    print_extents(app, inspection->ranges);
    show(app, "SHA-256", sha256);
    print_header(app, inspection);
    if (inspection->has_layout)
        show(app, "table", words_region_table());
    print_regions(app, inspection);
}

static void print_settings(const struct app *app, const struct wry_inspection *inspection)
{
    show(app, "format", "settings");
    for (guint i = 0; i < inspection->settings->len; i++) {
        const struct wry_shown_setting *setting = g_ptr_array_index(inspection->settings, i);
        app_print(app, "%-10s %s = %s", i == 0 ? "sets" : "", setting->key, setting->value);
    }
    app_outcome(app, true, "The settings are sound.");
}

void inspection_print(const struct app *app, const struct wry_inspection *inspection)
{
    switch (inspection->kind) {
    case WRY_FILE_ARCHIVE:
        print_archive(app, inspection);
        break;
    case WRY_FILE_IMAGE:
        print_image(app, inspection);
        break;
    case WRY_FILE_SETTINGS:
        print_settings(app, inspection);
        break;
    case WRY_FILE_STEPS:
        show(app, "format", "steps");
        app_outcome(app, true, "The steps are sound: %u.", inspection->step_count);
        break;
    case WRY_FILE_LAYOUT:
        show(app, "format", "layout");
        show(app, "chip", inspection->chip ? inspection->chip->title : "any");
        print_regions(app, inspection);
        app_outcome(app, true, "The layout is sound.");
        break;
    case WRY_FILE_CARD: /* card_view shows it */
        break;
    }
}
