/* Changing single settings. */
#include "jobs/plan/settings_edit.h"

#include <string.h>

#include "jobs/plan/image_source.h"
#include "jobs/station/settings_read.h"
#include "wrytograph/layout.h"

/* A block being changed. */
struct change {
    struct wry_region region;
    struct settings *settings;
    struct image *image; /* image of the job with it; or NULL: */
    struct settings_copy found;
    bool changed;
    GPtrArray *keys;
};

struct changes {
    const struct images_job *job;
    const struct target *target;
    GPtrArray *all; /* struct change */
};

static void free_change(void *item)
{
    struct change *change = item;

    if (!change->image)
        settings_free(change->settings);
    g_free(change->found.bytes);
    if (change->keys)
        g_ptr_array_unref(change->keys);
    g_free(change);
}

static struct image *image_of(const struct changes *c, const char *region)
{
    const struct wry_image_set *held = *c->job->held;

    for (size_t i = 0; i < held->count; i++) {
        const struct wry_region *of = held->images[i]->facts.region;
        if (held->images[i]->settings && of && strcmp(of->name, region) == 0)
            return held->images[i];
    }
    return NULL;
}

static struct wry_problem *fail_region(enum wry_problem_kind kind, const struct change *change)
{
    return PROBLEM(WRY_OUTCOME_WRONG, kind, NULL, .region = change->region,
                   .found = change->found.damaged);
}

/* Reads the block of the region from the job or the board; *change is NULL if there is none. */
static struct wry_problem *begin_change(struct changes *c, const struct wry_region *region,
                                        struct change **change)
{
    struct flash_reader reader = {.station = c->job->station};

    *change = g_new0(struct change, 1);
    (*change)->region = *region;
    (*change)->image = image_of(c, region->name);
    if ((*change)->image) {
        (*change)->settings = (*change)->image->settings;
        return NULL;
    }
    if (!c->target->on_link)
        return NULL;
    if (!settings_read(&reader, region, &(*change)->found))
        return flash_reader_fail(&reader);
    if ((*change)->found.found)
        (*change)->settings = settings_from_block((*change)->found.bytes, &(*change)->found.head);
    return NULL;
}

static struct change *find_change(const struct changes *c, const char *region)
{
    for (guint i = 0; i < c->all->len; i++) {
        struct change *change = g_ptr_array_index(c->all, i);
        if (strcmp(change->region.name, region) == 0)
            return change;
    }
    return NULL;
}

/* The named region, or the only one with a block. */
static struct wry_problem *choose(struct changes *c, const char *name, struct change **chosen)
{
    const struct wry_region_table *layout = &c->target->layout.table;
    g_autoptr(GPtrArray) names = g_ptr_array_new_with_free_func(g_free);
    const struct wry_region *named;
    struct wry_problem *problem = name ? regions_find(c->target, name, &named) : NULL;

    if (problem)
        return problem;
    for (uint32_t i = 0; i < layout->count; i++) {
        const struct wry_region *region = &layout->regions[i];
        struct change *change = find_change(c, region->name);
        if (name ? strcmp(name, region->name) != 0 : region->kind != WRY_REGION_SETTINGS)
            continue;
        if (!change) {
            problem = begin_change(c, region, &change);
            g_ptr_array_add(c->all, change);
            if (problem)
                return problem;
        }
        if (name && !change->settings)
            return fail_region(WRY_PROBLEM_NO_SETTINGS, change);
        if (!change->settings)
            continue;
        *chosen = change;
        g_ptr_array_add(names, g_strdup(region->name));
    }
    if (names->len == 1)
        return NULL;
    problem = problem_new(names->len == 0 ? WRY_OUTCOME_WRONG : WRY_OUTCOME_USAGE,
                          names->len == 0 ? WRY_PROBLEM_NO_BLOCKS : WRY_PROBLEM_MANY_BLOCKS, NULL);
    if (names->len > 0) {
        g_ptr_array_add(names, NULL);
        problem->names = (char **)g_ptr_array_free(g_steal_pointer(&names), FALSE);
    }
    return problem;
}

static struct wry_problem *set_one(struct changes *c, const struct wry_setting_options *options)
{
    struct change *change = NULL;
    GError *error = NULL;
    bool changed = false;
    struct wry_problem *problem = choose(c, options->region, &change);

    if (problem || !change)
        return problem;
    if (!settings_set(change->settings, options->key, options->value, options->is_new, &changed,
                      &error))
        return PROBLEM(WRY_OUTCOME_USAGE, WRY_PROBLEM_BAD_SETTING, options->key, .cause = error);
    if (!change->keys)
        change->keys = g_ptr_array_new_with_free_func(g_free);
    if (!g_ptr_array_find_with_equal_func(change->keys, options->key, g_str_equal, NULL))
        g_ptr_array_add(change->keys, g_strdup(options->key));
    change->changed = change->changed || changed;
    return NULL;
}

static struct wry_problem *check_room(const struct change *change, const struct image_file *file)
{
    uint32_t room = wry_settings_slot(change->region.length);

    if (file->length <= room)
        return NULL;
    return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_SETTINGS_ROOM, file->path,
                   .region = change->region, .expected = room, .found = file->length);
}

/* Encodes the settings file of the job with other values. */
static struct wry_problem *remake(const struct change *change)
{
    struct image *image = change->image;
    GError *error = NULL;
    struct image_file *file = image_source_settings(image->path, change->settings, 1, &error);

    if (!file)
        return problem_of_error(error);
    image_file_free(image->file);
    image->file = file;
    image->facts.path = file->path;
    image->facts.name = file->name;
    image->facts.length = file->length;
    image_place(image, change->region.offset);
    return check_room(change, file);
}

/* Writes the next generation into the other slot, so that an interruption leaves the old settings.
 * If the block already has these values, it is only compared. */
static struct wry_problem *add_image(const struct changes *c, struct change *change)
{
    uint32_t room = wry_settings_slot(change->region.length);
    unsigned slot = change->changed ? 1 - change->found.slot : change->found.slot;
    GError *error = NULL;
    struct image *image = images_add(*c->job->held);
    struct image_file *file = image_source_settings(
        "settings", change->settings, change->found.head.generation + change->changed, &error);

    image->path = g_strdup("settings");
    image->place = g_strdup(change->region.name);
    image->facts.path = image->facts.name = image->path;
    if (!file)
        return problem_of_error(error);
    image->facts.what = WRY_WHAT_SETTINGS;
    image->keys = g_steal_pointer(&change->keys);
    g_ptr_array_add(image->keys, NULL);
    image->facts.keys = (const char *const *)image->keys->pdata;
    image->region = change->region;
    image->facts.region = &image->region;
    struct wry_problem *problem = image_take_file(image, file, false);
    image_place(image, change->region.offset + slot * room);
    image->facts.rest_offset = image->facts.start + (uint32_t)image->facts.span;
    image->facts.rest_length = room - (uint32_t)MIN(image->facts.span, room);
    return problem ? problem : check_room(change, file);
}

struct wry_problem *settings_edit_apply(const struct images_job *job, const struct target *target)
{
    g_autoptr(GPtrArray) all = g_ptr_array_new_with_free_func(free_change);
    struct changes c = {.job = job, .target = target, .all = all};
    struct wry_problem *problem = NULL;

    if (job->use != IMAGE_WRITE)
        return problem;
    for (size_t i = 0; i < job->options->setting_count && !problem; i++)
        problem = set_one(&c, &job->options->settings[i]);
    for (guint i = 0; i < all->len && !problem; i++) {
        struct change *change = g_ptr_array_index(all, i);
        if (change->keys)
            problem = change->image ? remake(change) : add_image(&c, change);
    }
    return problem;
}
