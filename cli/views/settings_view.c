/* Settings for people and programs. */
#include "settings_view.h"

#include <json-glib/json-glib.h>

#include "json.h"
#include "table.h"

static bool is_described(const struct wry_settings_of *block)
{
    for (guint i = 0; i < block->lines->len; i++) {
        const struct wry_setting_line *line = g_ptr_array_index(block->lines, i);
        if (line->unit || line->help)
            return true;
    }
    return false;
}

static void show_block(const struct app *app, const struct wry_settings_of *block)
{
    bool described = is_described(block);
    struct table *table = described
                              ? table_new(app, "", "setting", "value", "unit", "meaning", NULL)
                              : table_new(app, "", "setting", "value", NULL);

    if (block->generation > 0)
        app_print(app, "Region %s, change %u:", block->region.name, (unsigned)block->generation);
    for (guint i = 0; i < block->lines->len; i++) {
        const struct wry_setting_line *line = g_ptr_array_index(block->lines, i);
        if (described)
            table_row(table, "", line->key, line->after, line->unit ? line->unit : "",
                      line->help ? line->help : "", NULL);
        else
            table_row(table, "", line->key, line->after, NULL);
    }
    table_end(table, false);
}

void settings_view_show(const struct app *app, const struct wry_settings_result *result)
{
    for (guint i = 0; result->blocks && i < result->blocks->len; i++) {
        if (i > 0)
            app_print(app, "%s", "");
        show_block(app, g_ptr_array_index(result->blocks, i));
    }
}

static void print_change(const struct app *app, const struct wry_setting_line *line)
{
    const char *space = line->unit ? " " : "", *unit = line->unit ? line->unit : "";

    if (!line->before)
        app_print(app, "  %s: new, %s%s%s%s", line->key, line->after, space, unit,
                  line->secret ? " (secret)" : "");
    else if (!line->after)
        app_print(app, "  %s: %s%s%s → removed", line->key, line->before, space, unit);
    else if (line->secret)
        app_print(app, "  %s: changed (secret)", line->key);
    else
        app_print(app, "  %s: %s → %s%s%s", line->key, line->before, line->after, space, unit);
}

void settings_view_changes(const struct app *app, const struct wry_settings_result *result)
{
    for (guint i = 0; result->blocks && i < result->blocks->len; i++) {
        const struct wry_settings_of *block = g_ptr_array_index(result->blocks, i);
        for (guint k = 0; k < block->lines->len; k++) {
            const struct wry_setting_line *line = g_ptr_array_index(block->lines, k);
            if (line->changed)
                print_change(app, line);
        }
    }
}

static void add_line(JsonBuilder *b, const struct wry_setting_line *line)
{
    json_add_object(b, json_text("key", line->key), json_text("type", line->type),
                    json_text("value", line->after),
                    json_if(line->changed && line->before, json_text("before", line->before)),
                    json_text("unit", line->unit), json_text("help", line->help),
                    json_flag("secret", line->secret), json_flag("changed", line->changed));
}

void settings_view_json(JsonBuilder *b, const struct wry_settings_result *result)
{
    json_begin_list(b, "blocks");
    for (guint i = 0; result->blocks && i < result->blocks->len; i++) {
        const struct wry_settings_of *block = g_ptr_array_index(result->blocks, i);
        json_builder_begin_object(b);
        json_add(b, json_text("region", block->region.name),
                 json_number("generation", block->generation),
                 json_flag("changed", block->changed));
        json_begin_list(b, "settings");
        for (guint k = 0; k < block->lines->len; k++)
            add_line(b, g_ptr_array_index(block->lines, k));
        json_builder_end_array(b);
        json_builder_end_object(b);
    }
    json_builder_end_array(b);
    json_add(b, json_flag("changed", result->changed));
}
