/* The images on the shelf. */
#include "shelf_table.h"

#include <json-glib/json-glib.h>
#include <string.h>

#include "json.h"
#include "table.h"
#include "words.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/units.h"

static const char *outcome_word(enum wry_shelf_outcome outcome)
{
    switch (outcome) {
    case WRY_SHELF_ADDED:
        return "added";
    case WRY_SHELF_HAD:
        return "there already";
    case WRY_SHELF_REFUSED:
        break;
    }
    return "left out";
}

void shelf_table_begin(const struct app *app)
{
    json_begin_list(app->json, "files");
}

void shelf_table_end(const struct app *app)
{
    json_builder_end_array(app->json);
}

void shelf_table_tell(void *context, const struct wry_shelf_report *told)
{
    struct shelf_tally *tally = context;
    const struct app *app = tally->app;
    const struct wry_shelf_item *item = told->item;

    tally->added += told->outcome == WRY_SHELF_ADDED;
    tally->had += told->outcome == WRY_SHELF_HAD;
    tally->refused += told->outcome == WRY_SHELF_REFUSED;
    if (item)
        app_print(app, "%-14s %s: %s%s%s", outcome_word(told->outcome), told->path, item->name,
                  item->version[0] ? " " : "", item->version);
    else
        app_print(app, "%-14s %s: %s", outcome_word(told->outcome), told->path, told->reason);
    json_add_object(app->json, json_text("file", told->path),
                    json_text("outcome", outcome_word(told->outcome)),
                    json_text("reason", told->reason));
}

static const char *region_word(const struct wry_shelf_item *item)
{
    if (item->is_table)
        return "table";
    switch (item->kind) {
    case WRY_PROGRAM_START:
        return "start";
    case WRY_PROGRAM_APP:
        return "app";
    case WRY_SHELF_MODULE:
        return "module";
    default:
        return "program";
    }
}

/* Whether an image fits the board, or why not; free with g_free. */
static char *fit_words(const struct wry_shelf_item *item, const struct shelf_board *board,
                       bool *fits)
{
    const struct wry_region *region = NULL;
    enum wry_shelf_fit fit =
        wry_shelf_judge(item, board->chip, board->flash_size, &board->layout, &region);
    g_autofree char *flash = wry_units_flash_size(board->flash_size);

    *fits = fit == WRY_SHELF_FITS;
    switch (fit) {
    case WRY_SHELF_FITS:
        return g_strdup_printf("fits region %s%s", region->name,
                               item->only_upgrade ? ", only as an upgrade" : "");
    case WRY_SHELF_OTHER_CHIP:
        return g_strdup("no: for another chip");
    case WRY_SHELF_LARGER_FLASH:
        return g_strdup_printf("no: for more flash than %s", flash);
    case WRY_SHELF_NO_REGION:
        return g_strdup("no: the flash has no region of its kind");
    case WRY_SHELF_FOR_MODULE:
        return g_strdup("no: for a module behind it");
    case WRY_SHELF_TOO_LARGE:
        break;
    }
    return g_strdup("no: it is larger than its region");
}

static void add_item(const struct app *app, const struct wry_shelf_item *item,
                     const struct shelf_board *board, const char *fit, bool fits)
{
    json_add_object(
        app->json, json_text("name", item->name), json_text("version", item->version),
        json_text("region", region_word(item)), json_number("chip_code", item->chip_code),
        json_number("flash_bytes", item->flash_size), json_number("bytes", (int64_t)item->size),
        json_flag("only_upgrade", item->only_upgrade), json_flag("preferred", item->preferred),
        json_text("file", item->file), json_text("added", item->added),
        json_take("sha256", wry_units_digest(item->sha256)),
        json_if(board->known, json_flag("fits", fits)),
        json_if(board->known, json_text("why", fit)));
}

static void add_row(const struct app *app, struct table *table, const struct wry_shelf_item *item,
                    const struct shelf_board *board, const GPtrArray *items)
{
    const struct wry_chip *chip = item->chip_code > 0 ? wry_chips_by_code(item->chip_code) : NULL;
    g_autofree char *flash =
        item->flash_size > 0 ? wry_units_flash_size(item->flash_size) : g_strdup("any");
    g_autofree char *size = wry_units_bytes(item->size);
    bool fits = false;
    g_autofree char *fit = board->known ? fit_words(item, board, &fits) : g_strdup("");
    g_autofree char *title = wry_shelf_item_title(item, items);
    const char *after = title + strlen(item->name);
    g_autofree char *version =
        g_strdup_printf("%s%s", after[0] ? after + 1 : after, item->preferred ? " *" : "");

    table_row(table, item->name, version, item->chip_code == 0 ? "any" : wry_chip_title(chip),
              flash, size, region_word(item), fit, NULL);
    add_item(app, item, board, fit, fits);
}

void shelf_table_print(const struct app *app, const GPtrArray *items,
                       const struct shelf_board *board)
{
    struct table *table = table_new(app, "image", "version", "chip", "flash", "size", "for",
                                    board->known ? "this board" : "", NULL);
    bool preferred = false;

    json_begin_list(app->json, "images");
    if (items->len == 0)
        app_print(app, "The shelf is empty. 'wrytograph shelf add FILE' puts images on it.");
    for (guint i = 0; i < items->len; i++) {
        const struct wry_shelf_item *item = g_ptr_array_index(items, i);
        preferred = preferred || item->preferred;
        add_row(app, table, item, board, items);
    }
    json_builder_end_array(app->json);
    table_end(table, false);
    if (preferred)
        app_note(app, "* is used if several with its name fit.");
    if (items->len > 0 && !board->known)
        app_note(app, "With --link, or --chip and --flash, the list shows which fit.");
}
