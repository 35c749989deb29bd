/* What a file contains. */
#include "inspection.h"

#include <json-glib/json-glib.h>

#include "chip_view.h"
#include "contents_table.h"
#include "facts.h"
#include "json.h"
#include "times.h"
#include "words.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"

enum {
    SHOWN_MAX = 12, /* ranges printed; JSON has them all */
};

/* A region that extends to the largest flash ends where the board's flash does, if the layout is
 * open-ended. */
static void show_regions(const struct facts *facts, const struct wry_inspection *inspection)
{
    const struct wry_region_table *layout = &inspection->layout;

    if (!inspection->has_layout)
        return;
    for (uint32_t i = 0; i < layout->count; i++) {
        const struct wry_region *region = &layout->regions[i];
        bool rest =
            inspection->open_ended && region->offset + (uint64_t)region->length >= WRY_FLASH_MAX;
        g_autofree char *length = rest ? g_strdup("the rest") : wry_units_bytes(region->length);
        g_autofree char *end =
            rest ? g_strdup("the end ")
                 : g_strdup_printf("0x%06X", (unsigned)(region->offset + region->length - 1));
        facts_line(facts, i == 0 ? "regions" : "", "0x%06X to %s  %-12s %-12s %s",
                   (unsigned)region->offset, end, length, region->name,
                   wry_region_kind_name(region->kind));
    }
    json_add_regions(facts->app->json, layout);
}

/* Ranges of an archive have digests; those of an image have addresses and lengths. */
static void show_ranges(const struct facts *facts, const struct wry_inspection *inspection)
{
    bool archive = inspection->kind == WRY_FILE_ARCHIVE;
    JsonBuilder *b = facts->app->json;
    guint count = inspection->ranges->len, most = archive ? count : SHOWN_MAX;

    json_begin_list(b, "ranges");
    for (guint i = 0; i < count; i++) {
        const struct wry_inspected_range *range =
            &g_array_index(inspection->ranges, struct wry_inspected_range, i);
        unsigned start = range->offset, last = range->offset + range->length - 1;
        const char *word = i == 0 ? "holds" : "";
        g_autofree char *sha256 = archive ? wry_units_digest(range->sha256) : NULL;
        g_autofree char *length = wry_units_bytes(range->length);
        if (archive)
            facts_line(facts, word, "0x%06X to 0x%06X  SHA-256 %s", start, last, sha256);
        else if (i < most)
            facts_line(facts, word, "0x%08X to 0x%08X  %s", start, last, length);
        json_add_object(b, json_offset(archive ? "offset" : "address", range->offset),
                        json_number("length", range->length), json_text("sha256", sha256));
    }
    json_builder_end_array(b);
    if (count > most)
        facts_line(facts, "", "and %u more ranges", count - most);
}

static void show_archive(const struct facts *facts, const struct wry_inspection *inspection)
{
    g_autofree char *address = wry_units_address(inspection->address);
    g_autofree char *size = wry_units_flash_size(inspection->flash_size);
    g_autofree char *made = times_local(inspection->created);

    facts_add(facts, "format", "format", "backup archive");
    facts_add(facts, "board", "address", address);
    facts_add(facts, "chip", "chip", inspection->chip ? inspection->chip->title : "unknown");
    facts_add(facts, "flash", "flash", size);
    facts_add(facts, "made", NULL, made);
    facts_add(facts, NULL, "created", inspection->created);
    facts_add(facts, "by", "tool", inspection->tool);
    show_ranges(facts, inspection);
    if (inspection->contents && inspection->contents->len > 0)
        contents_table_print(facts, "regions", inspection->contents, false);
    app_outcome(facts->app, true, "The archive is valid: every range matches its SHA-256.");
    if (inspection->has_layout)
        json_add_regions(facts->app->json, &inspection->layout);
}

static void show_header(const struct facts *facts, const struct wry_inspection *inspection)
{
    const struct wry_boot_header *header = &inspection->header;
    g_autofree char *body = wry_units_bytes(header->body_length);
    g_autofree char *mode = words_read_mode(header);
    g_autofree char *flash = words_header_flash(header);
    const struct wry_chip *chip = wry_chips_by_code(header->chip_code);
    bool says = header->kind != WRY_PROGRAM_UNSAID;

    facts_add(facts, "header", "boot_header", words_header_state(inspection->header_state));
    if (inspection->header_state != WRY_HEADER_FITS)
        return;
    facts_line(facts, "program", "%s%s%s", header->version, says ? ", " : "",
               says ? wry_program_kind_title(header->kind) : "");
    facts_add(facts, NULL, "version", header->version);
    if (says)
        facts_add(facts, NULL, "kind", header->kind == WRY_PROGRAM_START ? "start" : "app");
    if (header->only_upgrade)
        facts_line(facts, "meant", "only as an upgrade of a program on the board");
    json_add(facts->app->json, json_flag("only_upgrade", header->only_upgrade));
    facts_add(facts, "built for", NULL, chip ? chip->title : "an unknown chip");
    facts_add(facts, NULL, "chip", wry_chip_title(chip));
    facts_add(facts, "flash", "flash", flash);
    facts_add(facts, "read mode", "read_mode", mode);
    facts_add(facts, "body", "body", body);
    facts_add(facts, "digest", "body_digest", words_body_digest(inspection->whole));
}

/* Of a module behind the board. */
static void show_module(const struct facts *facts, const struct wry_inspection *inspection)
{
    const struct wry_module_image *module = &inspection->module;
    g_autofree char *body = wry_units_bytes(module->body_length);
    const char *kind = wry_module_kind_title(module->kind);

    facts_line(facts, "module", "%s, %s", module->version, kind);
    facts_add(facts, NULL, "version", module->version);
    facts_add(facts, NULL, "module", kind);
    facts_add(facts, "body", "body", body);
    facts_add(facts, "CRC-32", "body_crc", inspection->whole ? "matches" : "differs");
    facts_line(facts, "belongs", "to a module behind a board, not into the board's flash");
    facts_add(facts, NULL, "instead", wry_content_text(inspection->content));
}

static void show_image(const struct facts *facts, const struct wry_inspection *inspection)
{
    g_autofree char *content = wry_units_bytes(inspection->content_bytes);
    g_autofree char *sha256 = wry_units_digest(inspection->sha256);

    facts_add(facts, "format", "format", wry_image_format_title(inspection->format));
    facts_add(facts, "content", "content", content);
    json_add(facts->app->json, json_number("content_bytes", (int64_t)inspection->content_bytes));
    show_ranges(facts, inspection);
    facts_add(facts, "SHA-256", "sha256", sha256);
    if (inspection->content == WRY_CONTENT_MODULE) {
        show_module(facts, inspection);
        return;
    }
    show_header(facts, inspection);
    if (inspection->content != WRY_CONTENT_ANY) {
        const char *text = wry_content_text(inspection->content);
        facts_line(facts, "but", "it %s", text);
        facts_add(facts, NULL, "instead", text);
    }
    if (inspection->blank)
        facts_line(facts, "but", "it is blank: nothing but erased flash");
    json_add(facts->app->json, json_flag("blank", inspection->blank));
    if (inspection->has_layout)
        facts_add(facts, "table", "region_table", words_region_table());
    show_regions(facts, inspection);
}

static void show_settings(const struct facts *facts, const struct wry_inspection *inspection)
{
    facts_add(facts, "format", "format", "settings");
    for (guint i = 0; i < inspection->settings->len; i++) {
        const struct wry_shown_setting *setting = g_ptr_array_index(inspection->settings, i);
        facts_line(facts, i == 0 ? "sets" : "", "%s = %s", setting->key, setting->value);
    }
    json_add_settings(facts->app->json, inspection->settings);
    app_outcome(facts->app, true, "The settings are valid.");
}

void inspection_show(const struct app *app, const struct wry_inspection *inspection)
{
    struct facts facts = {.app = app, .width = 10};

    switch (inspection->kind) {
    case WRY_FILE_ARCHIVE:
        show_archive(&facts, inspection);
        break;
    case WRY_FILE_IMAGE:
        show_image(&facts, inspection);
        break;
    case WRY_FILE_SETTINGS:
        show_settings(&facts, inspection);
        break;
    case WRY_FILE_STEPS:
        facts_add(&facts, "format", "format", "steps");
        json_add(app->json, json_number("steps", inspection->step_count));
        app_outcome(app, true, "The steps are valid: %u.", inspection->step_count);
        break;
    case WRY_FILE_CHIP:
        chip_view_show(app, inspection->chip);
        if (inspection->has_layout) {
            g_autofree char *size = wry_units_flash_size(inspection->layout.flash_size);
            facts_line(&facts, "usually", "with %s of flash:", size);
        }
        show_regions(&facts, inspection);
        app_outcome(app, true, "The chip file is valid.");
        break;
    case WRY_FILE_LAYOUT:
        facts_add(&facts, "format", "format", "layout");
        facts_add(&facts, "chip", "chip", inspection->chip ? inspection->chip->title : "any");
        show_regions(&facts, inspection);
        app_outcome(app, true, "The layout is valid.");
        break;
    case WRY_FILE_CARD: /* see card_view */
        break;
    }
}
