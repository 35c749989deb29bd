/* Results as JSON. */
#include "json.h"

#include <json-glib/json-glib.h>

#include "words.h"
#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"

struct json_member json_text(const char *name, const char *text)
{
    return (struct json_member){.name = name, .kind = text ? JSON_TEXT : JSON_NONE, .text = text};
}

struct json_member json_take(const char *name, char *text)
{
    struct json_member member = json_text(name, text);

    member.owned = text;
    return member;
}

struct json_member json_format(const char *name, const char *format, ...)
{
    va_list arguments;

    va_start(arguments, format);
    char *text = g_strdup_vprintf(format, arguments);
    va_end(arguments);
    return json_take(name, text);
}

struct json_member json_number(const char *name, int64_t number)
{
    return (struct json_member){.name = name, .kind = JSON_NUMBER, .number = number};
}

struct json_member json_offset(const char *name, uint32_t offset)
{
    return json_format(name, "0x%X", (unsigned)offset);
}

struct json_member json_real(const char *name, double number)
{
    return (struct json_member){.name = name, .kind = JSON_REAL, .real = number};
}

struct json_member json_flag(const char *name, bool flag)
{
    return (struct json_member){.name = name, .kind = JSON_FLAG, .number = flag};
}

struct json_member json_if(bool condition, struct json_member member)
{
    if (!condition)
        member.kind = JSON_NONE;
    return member;
}

static void add(JsonBuilder *b, const struct json_member *member)
{
    if (member->kind != JSON_NONE)
        json_builder_set_member_name(b, member->name);
    if (member->kind == JSON_TEXT) {
        g_autofree char *valid = g_utf8_make_valid(member->text, -1);
        json_builder_add_string_value(b, valid);
    } else if (member->kind == JSON_NUMBER) {
        json_builder_add_int_value(b, member->number);
    } else if (member->kind == JSON_REAL) {
        json_builder_add_double_value(b, member->real);
    } else if (member->kind == JSON_FLAG) {
        json_builder_add_boolean_value(b, member->number != 0);
    }
    g_free(member->owned);
}

void json_add_members(JsonBuilder *b, const struct json_member *members, size_t n)
{
    for (size_t i = 0; i < n; i++)
        add(b, &members[i]);
}

void json_add_members_object(JsonBuilder *b, const struct json_member *members, size_t n)
{
    json_builder_begin_object(b);
    json_add_members(b, members, n);
    json_builder_end_object(b);
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

void json_add_regions(JsonBuilder *b, const struct wry_region_table *layout)
{
    json_begin_list(b, "layout");
    for (uint32_t i = 0; i < layout->count; i++) {
        const struct wry_region *region = &layout->regions[i];
        json_add_object(b, json_text("name", region->name),
                        json_text("kind", wry_region_kind_name(region->kind)),
                        json_offset("offset", region->offset),
                        json_number("length", region->length));
    }
    json_builder_end_array(b);
}

void json_add_settings(JsonBuilder *b, const GPtrArray *settings)
{
    json_builder_set_member_name(b, "settings");
    json_builder_begin_object(b);
    for (guint i = 0; i < settings->len; i++) {
        const struct wry_shown_setting *setting = g_ptr_array_index(settings, i);
        json_add(b, json_text(setting->key, setting->value));
    }
    json_builder_end_object(b);
}

void json_add_evidence(JsonBuilder *b, const struct wry_evidence *evidence)
{
    json_add(b, json_text("finding", wry_finding_name(evidence->finding)),
             json_text("cause", wry_evidence_cause(evidence)),
             json_take("heard", wry_evidence_text(evidence)),
             json_number("speed_baud", evidence->speed));
}

static void add_images(JsonBuilder *b, const struct wry_plan *plan)
{
    json_begin_list(b, "images");
    for (size_t i = 0; i < plan->count; i++) {
        const struct wry_placement *placement = &plan->placements[i];
        const struct wry_planned_image *image = placement->label;
        bool rest = image->rest_length > 0 && image->rest_offset == placement->offset;
        json_add_object(b, json_text("file", image->path), json_offset("offset", placement->offset),
                        json_number("length", placement->length),
                        json_if(rest, json_flag("made_blank", true)),
                        json_text("region", image->region ? image->region->name : NULL),
                        json_text("from_shelf", image->from_shelf));
    }
    json_builder_end_array(b);
}

void json_add_plan(JsonBuilder *b, const struct wry_planned *planned)
{
    add_images(b, &planned->plan);
    json_add(b, json_text("layout_source", words_layout(&planned->layout)));
    json_add_regions(b, &planned->layout.table);
    json_add(b, json_number("sectors", planned->sectors));
}

static void add_done(JsonBuilder *b, const struct wry_done *done)
{
    json_add(b, json_number("sectors_written", done->sectors_written),
             json_number("sectors_left", done->sectors_left));
}

static void add_savings(JsonBuilder *b, const struct wry_done *done)
{
    json_add(b, json_number("content_sent", (int64_t)done->content_sent),
             json_number("bytes_known", (int64_t)done->bytes_known),
             json_number("guesses_wrong", done->guesses_wrong));
}

void json_add_write(JsonBuilder *b, const struct wry_write_result *result, const char *address)
{
    const struct wry_done *done = &result->done;

    json_add(b, json_text("address", address));
    add_images(b, &result->planned.plan);
    json_add(b, json_flag("written_and_checked", result->written),
             json_real("seconds", result->tried ? done->seconds : 0));
    add_done(b, done);
    json_add(b, json_number("frames_resent", done->frames_resent),
             json_number("reconnects", done->reconnects),
             json_number("bytes_sent", (int64_t)done->bytes_sent));
    add_savings(b, done);
}

void json_add_erase(JsonBuilder *b, const struct wry_erase_result *result)
{
    json_add(b, json_number("bytes_erased", (int64_t)result->done.bytes));
    add_done(b, &result->done);
}

void json_add_restore(JsonBuilder *b, const struct wry_restore_result *result)
{
    add_done(b, &result->done);
    add_savings(b, &result->done);
}

void json_add_backup(JsonBuilder *b, const struct wry_backup_result *result)
{
    json_add(b, json_take("address", wry_units_address(result->address)),
             json_text("file", result->file), json_number("bytes", (int64_t)result->done.bytes),
             json_number("bytes_from_older", (int64_t)result->from_older),
             json_number("bytes_received", (int64_t)result->done.bytes_received));
    add_savings(b, &result->done);
}

static void add_comparison(JsonBuilder *b, const struct wry_comparison *comparison)
{
    const GArray *differences = comparison->differences;

    json_builder_begin_object(b);
    json_add(b, json_text("name", comparison->name), json_offset("offset", comparison->offset),
             json_number("length", comparison->length));
    json_begin_list(b, "differences");
    for (guint i = 0; i < differences->len; i++) {
        const struct wry_difference *d = &g_array_index(differences, struct wry_difference, i);
        json_add_object(b, json_offset("offset", d->offset), json_number("length", d->length));
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
    json_add(b, json_text("text", result->text), json_number("speed_baud", result->speed));
}
