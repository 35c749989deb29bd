/* Region names and ranges. */
#include "regions.h"

#include <string.h>

#include "link.h"
#include "store/layout_file.h"
#include "store/units.h"
#include "wrytograph/region_table.h"

struct target regions_target(const struct app *app)
{
    return (struct target){
        .chip = link_chip(app), .flash_size = app->session.board.capacity, .on_link = true};
}

struct table_bytes {
    uint32_t start;
    uint8_t bytes[WRY_REGION_TABLE_SIZE_MAX];
};

static bool keep_table(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct table_bytes *table = context;

    memcpy(table->bytes + (offset - table->start), bytes, n);
    return true;
}

/* The region table in the board's flash; false when there is no valid one. */
static int load_from_board(struct app *app, const struct target *target, bool *found)
{
    struct table_bytes table;
    struct wry_writer writer = {.context = &table, .write = keep_table};
    uint32_t which, other;

    *found = false;
    if (!target->on_link || !target->chip || target->chip->table_offset == WRY_NO_OFFSET)
        return EXIT_DONE;
    table.start = target->chip->table_offset;
    enum wry_status status =
        wry_session_read(&app->session, table.start, sizeof table.bytes, &writer);
    if (status != WRY_OK)
        return app_fail_session(app, status);
    *found = wry_region_table_get(&app->layout, table.bytes, sizeof table.bytes) &&
             wry_layout_check(&app->layout, target->flash_size, &which, &other) == WRY_LAYOUT_FINE;
    return EXIT_DONE;
}

static int load_from_file(struct app *app, const struct target *target)
{
    struct layout_file file;
    GError *error = NULL;

    if (!layout_file_load(app->layout_path, target->flash_size, &file, &error))
        return app_fail_error(app, error);
    if (file.chip && file.chip != target->chip)
        return app_fail(app, EXIT_WRONG, "Use the layout that was made for this chip.",
                        "%s is a layout for a %s", app->layout_path, file.chip->title);
    if (file.layout.flash_size > 0 && file.layout.flash_size != target->flash_size) {
        g_autofree char *wanted = units_flash_size(file.layout.flash_size);
        g_autofree char *size = units_flash_size(target->flash_size);
        return app_fail(app, EXIT_WRONG, "Use the layout that was made for this flash size.",
                        "%s is a layout for %s of flash, not %s", app->layout_path, wanted, size);
    }
    app->layout = file.layout;
    return EXIT_DONE;
}

int regions_load(struct app *app, const struct target *target)
{
    bool found;

    app->layout_is_firm = true;
    if (app->layout_path) {
        app->layout_source = app->layout_path;
        return load_from_file(app, target);
    }
    int code = load_from_board(app, target, &found);
    app->layout_source = "the region table in its flash";
    if (code != EXIT_DONE || found)
        return code;
    app->layout_is_firm = false;
    app->layout_source = "the usual one of this chip";
    if (!target->chip || !wry_layout_built_in(&app->layout, target->chip, target->flash_size))
        app->layout.count = 0;
    return EXIT_DONE;
}

const struct wry_region *regions_find(struct app *app, const char *name)
{
    const struct wry_region *region = wry_layout_find(&app->layout, name);

    if (region)
        return region;
    GString *names = g_string_new("Regions here: ");
    for (uint32_t i = 0; i < app->layout.count; i++)
        g_string_append_printf(names, "%s%s", i > 0 ? ", " : "", app->layout.regions[i].name);
    g_string_append(names, app->layout.count > 0 ? "." : "none.");
    app_fail(app, EXIT_USAGE, names->str, "there is no region '%s'", name);
    g_string_free(names, TRUE);
    return NULL;
}

static int parse_numbers(struct app *app, const struct target *target, const char *text,
                         uint32_t *offset, uint32_t *length)
{
    const char *plus = strchr(text, '+');
    g_autofree char *first = g_strndup(text, (gsize)(plus - text));

    if (!units_parse_offset(first, offset) || !units_parse_size(plus + 1, length) || *length == 0)
        return app_fail(app, EXIT_USAGE, "Write it as OFFSET+LENGTH, such as 0x10000+16K.",
                        "'%s' is no range", text);
    if (*offset >= target->flash_size || *length > target->flash_size - *offset) {
        g_autofree char *size = units_flash_size(target->flash_size);
        return app_fail(app, EXIT_WRONG, "Nothing was changed.",
                        "the range %s ends beyond the end of the flash (%s)", text, size);
    }
    return EXIT_DONE;
}

int regions_parse_range(struct app *app, const struct target *target, const char *text,
                        uint32_t *offset, uint32_t *length)
{
    if (strcmp(text, "all") == 0) {
        *offset = 0;
        *length = target->flash_size;
        return EXIT_DONE;
    }
    if (strchr(text, '+'))
        return parse_numbers(app, target, text, offset, length);
    const struct wry_region *region = regions_find(app, text);
    if (!region)
        return app->code;
    *offset = region->offset;
    *length = region->length;
    return EXIT_DONE;
}

void regions_add_json(struct app *app)
{
    app_json_text(app, "layout_source", app->layout_source ? app->layout_source : "none");
    json_builder_set_member_name(app->json, "layout");
    json_builder_begin_array(app->json);
    for (uint32_t i = 0; i < app->layout.count; i++) {
        const struct wry_region *region = &app->layout.regions[i];
        json_builder_begin_object(app->json);
        app_json_text(app, "name", region->name);
        app_json_text(app, "kind", wry_region_kind_name(region->kind));
        app_json_offset(app, "offset", region->offset);
        app_json_number(app, "length", region->length);
        json_builder_end_object(app->json);
    }
    json_builder_end_array(app->json);
}
