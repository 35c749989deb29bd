/* The content of regions. */
#include "contents_table.h"

#include <json-glib/json-glib.h>
#include <string.h>

#include "json.h"
#include "table.h"
#include "words.h"
#include "wrytograph-host/chips.h"
#include "wrytograph-host/units.h"

/* Estimated time of a board for a digest, shown before it is spent. */
#define DIGEST_PER_MIB 0.75 /* s */

char *contents_table_settings(const GPtrArray *settings)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; settings && i < settings->len; i++) {
        const struct wry_shown_setting *setting = g_ptr_array_index(settings, i);
        g_string_append_printf(text, "%s%s = %s", i > 0 ? ", " : "", setting->key, setting->value);
    }
    return g_string_free(text, FALSE);
}

static const char *digest_word(enum wry_digest_state digest)
{
    switch (digest) {
    case WRY_DIGEST_FITS:
        return "fits";
    case WRY_DIGEST_DIFFERS:
        return "DIFFERS: damaged";
    case WRY_DIGEST_UNCHECKED:
        break;
    }
    return "not checked";
}

/* The name on the shelf is shown if it is another one. */
static char *shelf_words(const struct wry_content_of *content)
{
    if (!content->on_shelf)
        return g_strdup("");
    return strcmp(content->on_shelf, content->header.version) == 0
               ? g_strdup("; on the shelf")
               : g_strdup_printf("; on the shelf as %s", content->on_shelf);
}

static char *program_words(const struct wry_content_of *content)
{
    const struct wry_boot_header *header = &content->header;
    g_autofree char *lines = app_count(header->read_lines, "line");
    g_autofree char *shelf = shelf_words(content);
    g_autofree char *later =
        content->digest == WRY_DIGEST_UNCHECKED
            ? g_strdup_printf(" (--deep: %.1f s)", header->body_length / 1048576.0 * DIGEST_PER_MIB)
            : g_strdup("");

    return g_strdup_printf("%s for %s, %s at %u MHz; digest %s%s%s", header->version,
                           wry_chip_title(wry_chips_by_code(header->chip_code)), lines,
                           header->read_clock, digest_word(content->digest), later, shelf);
}

static char *words_of(const struct wry_content_of *content, bool of_board)
{
    g_autofree char *settings = contents_table_settings(content->settings);

    switch (content->holds) {
    case WRY_HOLDS_UNREAD:
        return g_strdup(of_board ? "not read" : "not in this backup");
    case WRY_HOLDS_BLANK:
        return g_strdup("begins blank");
    case WRY_HOLDS_PROGRAM:
        return program_words(content);
    case WRY_HOLDS_DAMAGED_PROGRAM:
        return g_strdup("a program whose boot header is DAMAGED");
    case WRY_HOLDS_TABLE:
        return g_strdup("region table, valid");
    case WRY_HOLDS_DAMAGED_TABLE:
        return g_strdup("region table, DAMAGED");
    case WRY_HOLDS_SETTINGS:
        return g_strdup_printf("block, change %u: %s", (unsigned)content->generation, settings);
    case WRY_HOLDS_DAMAGED_SETTINGS:
        return g_strdup("a settings block that is DAMAGED");
    case WRY_HOLDS_ARCHIVE:
        return g_strdup("files, as a tar archive");
    case WRY_HOLDS_OTHER:
        break;
    }
    switch (content->region.kind) {
    case WRY_REGION_START:
    case WRY_REGION_APP:
        return g_strdup("other content, not a program");
    case WRY_REGION_TABLE:
        return g_strdup("other content, not a region table");
    default:
        return g_strdup("other content");
    }
}

static char *range_of(const struct wry_region *region)
{
    return g_strdup_printf("0x%06X to 0x%06X", (unsigned)region->offset,
                           (unsigned)(region->offset + region->length - 1));
}

void contents_table_print(const struct facts *facts, const char *word, const GPtrArray *contents,
                          bool of_board)
{
    struct table *table = table_new(facts->app, "", "", "", "", "", NULL);

    for (guint i = 0; i < contents->len; i++) {
        const struct wry_content_of *content = g_ptr_array_index(contents, i);
        const struct wry_region *region = &content->region;
        g_autofree char *range = range_of(region);
        g_autofree char *begin = g_strdup_printf("%-*s %s", facts->width, i ? "" : word, range);
        g_autofree char *length = wry_units_bytes(region->length);
        g_autofree char *words = words_of(content, of_board);
        table_row(table, begin, length, region->name, wry_region_kind_name(region->kind), words,
                  NULL);
    }
    table_end(table, false);
}

static const char *holds_name(enum wry_holds holds)
{
    static const char *const names[] = {
        [WRY_HOLDS_UNREAD] = "unread",      [WRY_HOLDS_BLANK] = "blank",
        [WRY_HOLDS_PROGRAM] = "program",    [WRY_HOLDS_DAMAGED_PROGRAM] = "damaged-program",
        [WRY_HOLDS_TABLE] = "region-table", [WRY_HOLDS_DAMAGED_TABLE] = "damaged-region-table",
        [WRY_HOLDS_SETTINGS] = "settings",  [WRY_HOLDS_DAMAGED_SETTINGS] = "damaged-settings",
        [WRY_HOLDS_ARCHIVE] = "archive",    [WRY_HOLDS_OTHER] = "other",
    };

    return names[holds];
}

void contents_table_add(const struct app *app, const GPtrArray *contents)
{
    static const char *const digests[] = {
        [WRY_DIGEST_UNCHECKED] = "unchecked",
        [WRY_DIGEST_FITS] = "fits",
        [WRY_DIGEST_DIFFERS] = "differs",
    };
    JsonBuilder *b = app->json;

    json_begin_list(b, "contents");
    for (guint i = 0; i < contents->len; i++) {
        const struct wry_content_of *content = g_ptr_array_index(contents, i);
        json_builder_begin_object(b);
        json_add(b, json_text("region", content->region.name),
                 json_offset("offset", content->region.offset),
                 json_text("holds", holds_name(content->holds)));
        if (content->holds == WRY_HOLDS_PROGRAM)
            json_add(
                b, json_text("version", content->header.version),
                json_text("chip", wry_chip_title(wry_chips_by_code(content->header.chip_code))),
                json_text("digest", digests[content->digest]));
        json_add(b, json_text("on_shelf", content->on_shelf));
        if (content->settings)
            json_add_settings(b, content->settings);
        json_builder_end_object(b);
    }
    json_builder_end_array(b);
}
