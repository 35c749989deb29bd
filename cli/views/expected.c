/* The estimate of a write. */
#include "expected.h"

#include <json-glib/json-glib.h>

#include "json.h"
#include "wrytograph-host/station.h"
#include "wrytograph-host/units.h"

enum {
    TOLD_MAX = 12, /* most parts printed */
};

/* By enum wry_coding; 0: pages, without a stream. */
static const char *const coding_words[] = {"uncompressed", "compressed",      "as a difference",
                                           "compressed",   "as a difference", "as a difference"};
static const char *const coding_names[] = {"pages", "deflate",         "difference",
                                           "lzma",  "lzma-difference", "lzma-old"};

static void print_part(const struct app *app, const struct wry_expected_part *part)
{
    g_autofree char *length = wry_units_bytes(part->what.length);
    g_autofree char *line = wry_units_bytes(part->what.line_bytes);
    g_autofree char *unit = wry_units_bytes(part->what.erase_unit);

    app_print(app, "  0x%06X  %-10s %s, %s; erases up to %s; %.1f s", (unsigned)part->what.offset,
              length, coding_words[part->what.coding], line, unit, (double)part->cost.total / 1e6);
}

void expected_print(const struct app *app, const struct wry_expected *expected)
{
    if (!expected->known)
        return;
    if (expected->parts->len == 0) {
        app_print(app, "Expected: nothing to write; the flash already has it.");
        return;
    }
    g_autofree char *line = wry_units_bytes(expected->line_bytes);
    app_print(app, "Expected: about %.1f s at %u baud, %s over the line.", expected->seconds,
              (unsigned)wry_station_speed(app->station), line);
    for (guint i = 0; i < MIN(expected->parts->len, TOLD_MAX); i++)
        print_part(app, &g_array_index(expected->parts, struct wry_expected_part, i));
    if (expected->parts->len > TOLD_MAX)
        app_print(app, "  and %u more", expected->parts->len - TOLD_MAX);
}

void expected_add(JsonBuilder *b, const struct wry_expected *expected)
{
    if (!expected->known)
        return;
    json_begin_object(b, "expected");
    json_add(b, json_real("seconds", expected->seconds),
             json_number("line_bytes", (gint64)expected->line_bytes));
    json_begin_list(b, "parts");
    for (guint i = 0; i < expected->parts->len; i++) {
        const struct wry_expected_part *part =
            &g_array_index(expected->parts, struct wry_expected_part, i);
        json_add_object(b, json_number("offset", part->what.offset),
                        json_number("bytes", part->what.length),
                        json_text("coding", coding_names[part->what.coding]),
                        json_number("line_bytes", part->what.line_bytes));
    }
    json_builder_end_array(b);
    json_builder_end_object(b);
}
