/* A card or a kit. */
#include "card_view.h"

#include <json-glib/json-glib.h>

#include "facts.h"
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

static void show_files(const struct facts *facts, const struct wry_card *card)
{
    JsonBuilder *b = facts->app->json;
    struct wry_kit_file file;

    json_begin_list(b, "files");
    for (size_t i = 0; wry_card_kit_file(card, i, &file); i++) {
        g_autofree char *bytes = wry_units_bytes(file.size);
        facts_line(facts, i == 0 ? "files" : "", "%-24s %14s  %s", file.written, bytes,
                   file.sha256 ? file.sha256 : "a folder");
        json_builder_begin_object(b);
        json_add(b, json_text("written", file.written), json_number("bytes", (int64_t)file.size));
        facts_add(facts, NULL, "sha256", file.sha256);
        json_builder_end_object(b);
    }
    json_builder_end_array(b);
}

static void show_format(const struct facts *facts, const struct wry_card_facts *card)
{
    if (!card->kit_sha256)
        facts_add(facts, "format", NULL, "a job card");
    else if (card->signer)
        facts_line(facts, "format", "a kit, signed by key %s", card->signer);
    else
        facts_add(facts, "format", NULL, "a kit, not signed");
}

void card_view_show(const struct app *app, const struct wry_card *card)
{
    struct facts facts = {.app = app, .width = 10};
    struct wry_card_facts of;
    g_autofree char *name = run_outcome_card(card);
    g_autofree char *sizes = card_view_sizes(card);

    wry_card_get_facts(card, &of);
    show_format(&facts, &of);
    facts_add(&facts, "card", NULL, name);
    facts_add(&facts, NULL, "card", of.name);
    facts_add(&facts, NULL, "version", of.version);
    facts_add(&facts, "chip", NULL, of.chip->title);
    facts_add(&facts, NULL, "chip", of.chip->name);
    facts_add(&facts, "flash", NULL, sizes);
    json_begin_list(app->json, "flash_sizes");
    for (size_t i = 0; i < of.flash_count; i++)
        json_builder_add_int_value(app->json, of.flash_sizes[i]);
    json_builder_end_array(app->json);
    facts_line(&facts, "does", "%zu placement%s, %zu step%s after the start%s", of.placements,
               of.placements == 1 ? "" : "s", of.steps, of.steps == 1 ? "" : "s",
               of.by_row ? ", a row of settings for each board" : "");
    if (of.times > 0)
        facts_line(&facts, "times", "at most %u for each board", of.times);
    facts_add(&facts, "SHA-256", NULL, of.kit_sha256 ? of.kit_sha256 : of.sha256);
    facts_add(&facts, NULL, "sha256", of.sha256);
    facts_add(&facts, NULL, "kit_sha256", of.kit_sha256);
    facts_add(&facts, NULL, "signed_by", of.signer);
    show_files(&facts, card);
}
