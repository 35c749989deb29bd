/* Results as JSON. */
#include "json.h"

#include "stats.h"
#include "words.h"
#include "wrytograph-host/inspect.h"
#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"

void json_add_text(JsonBuilder *b, const char *name, const char *value)
{
    g_autofree char *valid = g_utf8_make_valid(value, -1);

    json_builder_set_member_name(b, name);
    json_builder_add_string_value(b, valid);
}

void json_add_format(JsonBuilder *b, const char *name, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    g_autofree char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    json_add_text(b, name, text);
}

void json_add_number(JsonBuilder *b, const char *name, int64_t value)
{
    json_builder_set_member_name(b, name);
    json_builder_add_int_value(b, value);
}

void json_add_offset(JsonBuilder *b, const char *name, uint32_t value)
{
    json_add_format(b, name, "0x%X", (unsigned)value);
}

void json_add_boolean(JsonBuilder *b, const char *name, bool value)
{
    json_builder_set_member_name(b, name);
    json_builder_add_boolean_value(b, value);
}

void json_begin_object(JsonBuilder *b, const char *name)
{
    json_builder_set_member_name(b, name);
    json_builder_begin_object(b);
}

void json_begin_list(JsonBuilder *b, const char *name)
{
    json_builder_set_member_name(b, name);
    json_builder_begin_array(b);
}

static void add_seconds(JsonBuilder *b, double seconds)
{
    json_builder_set_member_name(b, "seconds");
    json_builder_add_double_value(b, seconds);
}

static void add_address(JsonBuilder *b, const uint8_t eui48[WRY_EUI48_SIZE])
{
    g_autofree char *text = wry_units_address(eui48);

    json_add_text(b, "address", text);
}

void json_add_regions(JsonBuilder *b, const struct wry_region_table *layout)
{
    json_begin_list(b, "layout");
    for (uint32_t i = 0; i < layout->count; i++) {
        const struct wry_region *region = &layout->regions[i];
        json_builder_begin_object(b);
        json_add_text(b, "name", region->name);
        json_add_text(b, "kind", wry_region_kind_name(region->kind));
        json_add_offset(b, "offset", region->offset);
        json_add_number(b, "length", region->length);
        json_builder_end_object(b);
    }
    json_builder_end_array(b);
}

void json_add_settings(JsonBuilder *b, const GPtrArray *settings)
{
    json_builder_set_member_name(b, "settings");
    json_builder_begin_object(b);
    for (guint i = 0; i < settings->len; i++) {
        const struct wry_shown_setting *setting = g_ptr_array_index(settings, i);
        json_add_text(b, setting->key, setting->value);
    }
    json_builder_end_object(b);
}

void json_add_evidence(JsonBuilder *b, const struct wry_evidence *evidence)
{
    g_autofree char *heard = wry_evidence_text(evidence);

    json_add_text(b, "finding", wry_finding_name(evidence->finding));
    json_add_text(b, "cause", wry_finding_cause(evidence->finding));
    json_add_text(b, "heard", heard);
    json_add_number(b, "speed_baud", evidence->speed);
}

static void add_images(JsonBuilder *b, const struct wry_plan *plan)
{
    json_begin_list(b, "images");
    for (size_t i = 0; i < plan->count; i++) {
        const struct wry_planned_image *image = plan->placements[i].label;
        json_builder_begin_object(b);
        bool rest = image->rest_length > 0 && image->rest_offset == plan->placements[i].offset;
        json_add_text(b, "file", image->path);
        json_add_offset(b, "offset", plan->placements[i].offset);
        json_add_number(b, "length", plan->placements[i].length);
        if (rest)
            json_add_boolean(b, "made_blank", true);
        if (image->region)
            json_add_text(b, "region", image->region->name);
        if (image->from_shelf)
            json_add_text(b, "from_shelf", image->from_shelf);
        json_builder_end_object(b);
    }
    json_builder_end_array(b);
}

void json_add_plan(JsonBuilder *b, const struct wry_planned *planned)
{
    add_images(b, &planned->plan);
    json_add_text(b, "layout_source", words_layout(&planned->layout));
    json_add_regions(b, &planned->layout.table);
    json_add_number(b, "sectors", planned->sectors);
}

static void add_sectors(JsonBuilder *b, const struct wry_done *done)
{
    json_add_number(b, "sectors_written", done->sectors_written);
    json_add_number(b, "sectors_left", done->sectors_left);
}

void json_add_write(JsonBuilder *b, const struct wry_write_result *result, const char *address)
{
    json_add_text(b, "address", address);
    add_images(b, &result->planned.plan);
    json_add_boolean(b, "written_and_checked", result->written);
    add_seconds(b, result->tried ? result->done.seconds : 0);
    add_sectors(b, &result->done);
    json_add_number(b, "frames_resent", result->done.frames_resent);
    json_add_number(b, "reconnects", result->done.reconnects);
    json_add_number(b, "bytes_sent", (int64_t)result->done.bytes_sent);
    stats_add(b, &result->done);
}

void json_add_erase(JsonBuilder *b, const struct wry_erase_result *result)
{
    json_add_number(b, "bytes_erased", (int64_t)result->done.bytes);
    add_sectors(b, &result->done);
}

void json_add_restore(JsonBuilder *b, const struct wry_restore_result *result)
{
    add_sectors(b, &result->done);
    stats_add(b, &result->done);
}

void json_add_backup(JsonBuilder *b, const struct wry_backup_result *result)
{
    add_address(b, result->address);
    json_add_text(b, "file", result->file);
    json_add_number(b, "bytes", (int64_t)result->done.bytes);
    json_add_number(b, "bytes_from_older", (int64_t)result->from_older);
    json_add_number(b, "bytes_received", (int64_t)result->done.bytes_received);
    stats_add(b, &result->done);
}

static void add_comparison(JsonBuilder *b, const struct wry_comparison *comparison)
{
    const GArray *differences = comparison->differences;

    json_builder_begin_object(b);
    json_add_text(b, "name", comparison->name);
    json_add_offset(b, "offset", comparison->offset);
    json_add_number(b, "length", comparison->length);
    json_begin_list(b, "differences");
    for (guint i = 0; i < differences->len; i++) {
        const struct wry_difference *d = &g_array_index(differences, struct wry_difference, i);
        json_builder_begin_object(b);
        json_add_offset(b, "offset", d->offset);
        json_add_number(b, "length", d->length);
        json_builder_end_object(b);
    }
    json_builder_end_array(b);
    json_builder_end_object(b);
}

void json_add_verify(JsonBuilder *b, const struct wry_verify_result *result, const char *list)
{
    json_begin_list(b, list);
    for (guint i = 0; result->comparisons && i < result->comparisons->len; i++)
        add_comparison(b, g_ptr_array_index(result->comparisons, i));
    json_builder_end_array(b);
}

void json_add_console(JsonBuilder *b, const struct wry_console_result *result)
{
    json_add_text(b, "text", result->text);
    json_add_number(b, "speed_baud", result->speed);
}
