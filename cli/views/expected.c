/* The estimate of a write. */
#include "expected.h"

#include "wrytograph-host/station.h"
#include "wrytograph-host/units.h"
#include "wrytograph/message.h"

enum {
    TOLD_MAX = 12, /* most parts printed */
};

static const char *coding_name(uint8_t coding)
{
    return coding == WRY_CODING_DIFFERENCE ? "as a difference"
           : coding == WRY_CODING_DEFLATE  ? "compressed"
                                           : "uncompressed";
}

static void print_part(const struct app *app, const struct wry_expected_part *part)
{
    g_autofree char *length = wry_units_bytes(part->what.length);
    g_autofree char *line = wry_units_bytes(part->what.line_bytes);
    g_autofree char *unit = wry_units_bytes(part->what.erase_unit);

    app_print(app, "  0x%06X  %-10s %s, %s; erases up to %s; %.1f s", (unsigned)part->what.offset,
              length, coding_name(part->what.coding), line, unit, (double)part->cost.total / 1e6);
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

static void add_number(JsonBuilder *b, const char *name, gint64 value)
{
    json_builder_set_member_name(b, name);
    json_builder_add_int_value(b, value);
}

void expected_add(JsonBuilder *b, const struct wry_expected *expected)
{
    if (!expected->known)
        return;
    json_builder_set_member_name(b, "expected");
    json_builder_begin_object(b);
    json_builder_set_member_name(b, "seconds");
    json_builder_add_double_value(b, expected->seconds);
    add_number(b, "line_bytes", (gint64)expected->line_bytes);
    json_builder_set_member_name(b, "parts");
    json_builder_begin_array(b);
    for (guint i = 0; i < expected->parts->len; i++) {
        const struct wry_expected_part *part =
            &g_array_index(expected->parts, struct wry_expected_part, i);
        json_builder_begin_object(b);
        add_number(b, "offset", part->what.offset);
        add_number(b, "bytes", part->what.length);
        json_builder_set_member_name(b, "coding");
        json_builder_add_string_value(b, part->what.coding == WRY_CODING_DIFFERENCE ? "difference"
                                         : part->what.coding == WRY_CODING_DEFLATE  ? "deflate"
                                                                                    : "pages");
        add_number(b, "line_bytes", part->what.line_bytes);
        json_builder_end_object(b);
    }
    json_builder_end_array(b);
    json_builder_end_object(b);
}
