/* Showing a chip. */
#include "chip_view.h"

#include "facts.h"
#include "json.h"
#include "wrytograph-host/units.h"

static const char *instructions_of(const struct wry_chip *chip)
{
    static const char *const words[] = {[WRY_INSTRUCTIONS_UNKNOWN] = "not said",
                                        [WRY_INSTRUCTIONS_RISCV] = "RISC-V",
                                        [WRY_INSTRUCTIONS_THUMB] = "Thumb",
                                        [WRY_INSTRUCTIONS_ARM] = "ARM",
                                        [WRY_INSTRUCTIONS_ARM64] = "ARM64"};

    return words[chip->instructions];
}

static void show_places(const struct facts *facts, const struct wry_chip *chip)
{
    JsonBuilder *b = facts->app->json;
    bool has_table = chip->table_offset != WRY_NO_OFFSET;
    g_autofree char *table =
        has_table ? g_strdup_printf(", region table at 0x%06X", (unsigned)chip->table_offset)
                  : g_strdup("");

    facts_line(facts, "starts", "from 0x%06X%s, applications from 0x%06X",
               (unsigned)chip->start_offset, table, (unsigned)chip->app_offset);
    facts_line(facts, "programs", "%s, instructions: %s",
               chip->wants_header ? "only with a boot header" : "with or without a boot header",
               instructions_of(chip));
    json_add(b, json_offset("start", chip->start_offset), json_offset("apps", chip->app_offset),
             json_flag("header_required", chip->wants_header));
    if (has_table)
        json_add(b, json_offset("table", chip->table_offset));
}

void chip_view_show(const struct app *app, const struct wry_chip *chip)
{
    const struct facts facts = {.app = app, .width = 10};
    g_autofree char *least = wry_units_flash_size(chip->flash_min);
    g_autofree char *most = wry_units_flash_size(chip->flash_max);

    facts_add(&facts, "format", "format", "chip");
    facts_line(&facts, "chip", "%s (%s), code 0x%04X, %s", chip->title, chip->name, chip->code,
               chip->cores == 1 ? "one core" : "several cores");
    facts_add(&facts, NULL, "chip", chip->name);
    facts_line(&facts, "flash", "%s to %s", least, most);
    show_places(&facts, chip);
    facts_line(&facts, "strap", "%s, low through reset", chip->strap);
    facts_add(&facts, "says", "says_loading", chip->says_loading);
    facts_add(&facts, chip->says_loading ? "" : "says", "says_nothing", chip->says_nothing);
    facts_line(&facts, "speeds", "boot ROM %u baud, firmware %u, highest %u",
               (unsigned)chip->boot_speed, (unsigned)chip->run_speed, (unsigned)chip->top_speed);
    json_add(app->json, json_text("title", chip->title), json_number("chip_code", chip->code),
             json_number("cores", chip->cores), json_text("instructions", instructions_of(chip)),
             json_number("flash_least", chip->flash_min),
             json_number("flash_most", chip->flash_max), json_text("strap", chip->strap),
             json_number("boot_speed", chip->boot_speed), json_number("run_speed", chip->run_speed),
             json_number("top_speed", chip->top_speed));
}
