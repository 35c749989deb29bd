/* Settings for display. */
#include "jobs/settings/settings_lines.h"

#include <string.h>

#include "jobs/station/settings_read.h"

static void free_line(void *item)
{
    struct wry_setting_line *line = item;

    g_free(line->key);
    g_free(line->before);
    g_free(line->after);
    g_free(line->unit);
    g_free(line->help);
    g_free(line);
}

static void free_block(void *item)
{
    struct wry_settings_of *block = item;

    g_ptr_array_unref(block->lines);
    g_free(block);
}

/* At least one of them is given. */
static void add_line(struct wry_settings_of *block, const struct wry_setting *before,
                     const struct wry_setting *after, bool same,
                     const struct settings_description *description)
{
    struct wry_setting_line *line = g_new0(struct wry_setting_line, 1);
    const struct wry_setting *one = after ? after : before;

    line->key = g_strndup(one->key, one->key_length);
    const struct settings_rule *rule = settings_description_find(description, line->key);
    line->secret = (before && before->secret) || (after && after->secret) || (rule && rule->secret);
    struct wry_setting masked = {.secret = true};
    line->before = before ? settings_text(line->secret ? &masked : before) : NULL;
    line->after = after ? settings_text(line->secret ? &masked : after) : NULL;
    line->type = settings_type_name(one->type);
    line->unit = rule ? g_strdup(rule->unit) : NULL;
    line->help = rule ? g_strdup(rule->help) : NULL;
    line->changed = !same;
    block->changed |= line->changed;
    g_ptr_array_add(block->lines, line);
}

static const struct wry_setting *same_key(const struct settings *settings,
                                          const struct wry_setting *setting)
{
    g_autofree char *key = g_strndup(setting->key, setting->key_length);

    return settings ? settings_get(settings, key) : NULL;
}

void settings_lines_add(struct wry_settings_result *result, const struct wry_region *region,
                        uint32_t generation, const struct settings *before,
                        const struct settings *after,
                        const struct settings_description *description)
{
    struct wry_settings_of *block = g_new0(struct wry_settings_of, 1);

    if (!result->blocks)
        result->blocks = g_ptr_array_new_with_free_func(free_block);
    g_ptr_array_add(result->blocks, block);
    block->region = *region;
    block->generation = generation;
    block->lines = g_ptr_array_new_with_free_func(free_line);
    for (guint i = 0; i < settings_count(after); i++) {
        const struct wry_setting *setting = settings_at(after, i);
        const struct wry_setting *old = same_key(before, setting);
        bool same = old && settings_holds(before, setting) && old->secret == setting->secret;
        add_line(block, old, setting, same, description);
    }
    for (guint i = 0; before && i < settings_count(before); i++) {
        const struct wry_setting *setting = settings_at(before, i);
        if (!settings_has(after, setting))
            add_line(block, setting, NULL, false, description);
    }
    result->changed |= block->changed;
}

static void free_found(void *item)
{
    struct settings_found *found = item;

    settings_free(found->settings);
    g_free(found);
}

static void add_found(GPtrArray *all, const struct wry_region *region,
                      const struct settings_copy *copy)
{
    struct settings_found *found = g_new0(struct settings_found, 1);

    found->region = *region;
    found->slot = copy->slot;
    found->generation = copy->head.generation;
    found->settings = settings_from_block(copy->bytes, &copy->head);
    g_ptr_array_add(all, found);
}

GPtrArray *settings_lines_find(struct flash_reader *reader, const struct wry_region_table *layout,
                               const char *name, struct wry_region *damaged)
{
    GPtrArray *found = g_ptr_array_new_with_free_func(free_found);
    bool read = true;

    *damaged = (struct wry_region){0};
    for (uint32_t i = 0; i < layout->count && read; i++) {
        const struct wry_region *region = &layout->regions[i];
        struct settings_copy copy;
        if (name ? strcmp(name, region->name) != 0 : region->kind != WRY_REGION_SETTINGS)
            continue;
        read = settings_read(reader, region, &copy);
        if (read && copy.found)
            add_found(found, region, &copy);
        else if (read && copy.damaged && damaged->name[0] == '\0')
            *damaged = *region;
        g_free(copy.bytes);
    }
    if (read)
        return found;
    g_ptr_array_unref(found);
    return NULL;
}

void wry_settings_result_clear(struct wry_settings_result *result)
{
    if (result->blocks)
        g_ptr_array_unref(result->blocks);
    *result = (struct wry_settings_result){0};
}
