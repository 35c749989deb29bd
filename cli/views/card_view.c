/* A card or a kit as lines. */
#include "card_view.h"

#include "json.h"
#include "run_outcome.h"
#include "wrytograph-host/units.h"

char *card_view_sizes(const struct wry_card *card)
{
    GString *sizes = g_string_new(NULL);
    struct wry_card_facts facts;

    wry_card_get_facts(card, &facts);
    for (size_t i = 0; i < facts.flash_count; i++) {
        g_autofree char *size = wry_units_flash_size(facts.flash_sizes[i]);
        g_string_append_printf(sizes, "%s%s", i > 0 ? " or " : "", size);
    }
    return g_string_free(sizes, FALSE);
}

static void print_files(const struct app *app, const struct wry_card *card)
{
    struct wry_kit_file file;

    for (size_t i = 0; wry_card_kit_file(card, i, &file); i++) {
        g_autofree char *bytes = wry_units_bytes(file.size);
        app_print(app, "%-10s %-24s %14s  %s", i == 0 ? "files" : "", file.written, bytes,
                  file.sha256 ? file.sha256 : "a folder");
    }
}

void card_view_print(const struct app *app, const struct wry_card *card)
{
    struct wry_card_facts facts;
    g_autofree char *name = run_outcome_card(card);
    g_autofree char *sizes = card_view_sizes(card);

    wry_card_get_facts(card, &facts);
    if (!facts.kit_sha256)
        app_print(app, "%-10s a job card", "format");
    else if (facts.signer)
        app_print(app, "%-10s a kit, signed by key %s", "format", facts.signer);
    else
        app_print(app, "%-10s a kit, not signed", "format");
    app_print(app, "%-10s %s", "card", name);
    app_print(app, "%-10s %s", "chip", facts.chip->title);
    app_print(app, "%-10s %s", "flash", sizes);
    app_print(app, "%-10s %zu placement%s, %zu step%s after the start%s", "does", facts.placements,
              facts.placements == 1 ? "" : "s", facts.steps, facts.steps == 1 ? "" : "s",
              facts.by_row ? ", a row of settings for each board" : "");
    if (facts.times > 0)
        app_print(app, "%-10s at most %u for each board", "times", facts.times);
    app_print(app, "%-10s %s", "SHA-256", facts.kit_sha256 ? facts.kit_sha256 : facts.sha256);
    print_files(app, card);
}

void card_view_add_json(JsonBuilder *b, const struct wry_card *card)
{
    struct wry_card_facts facts;
    struct wry_kit_file file;

    wry_card_get_facts(card, &facts);
    json_add_text(b, "card", facts.name);
    json_add_text(b, "version", facts.version);
    json_add_text(b, "chip", facts.chip->name);
    json_begin_list(b, "flash_sizes");
    for (size_t i = 0; i < facts.flash_count; i++)
        json_builder_add_int_value(b, facts.flash_sizes[i]);
    json_builder_end_array(b);
    json_add_text(b, "sha256", facts.sha256);
    if (facts.kit_sha256)
        json_add_text(b, "kit_sha256", facts.kit_sha256);
    if (facts.signer)
        json_add_text(b, "signed_by", facts.signer);
    json_begin_list(b, "files");
    for (size_t i = 0; wry_card_kit_file(card, i, &file); i++) {
        json_builder_begin_object(b);
        json_add_text(b, "written", file.written);
        json_add_number(b, "bytes", (int64_t)file.size);
        if (file.sha256)
            json_add_text(b, "sha256", file.sha256);
        json_builder_end_object(b);
    }
    json_builder_end_array(b);
}
