/* Changing single settings. */
#include "jobs/plan/settings_edit.h"

#include <string.h>

#include "jobs/plan/described.h"
#include "jobs/plan/image_source.h"
#include "jobs/station/secrets.h"
#include "jobs/station/settings_read.h"
#include "store/image/settings_file.h"
#include "wrytograph/bytes.h"
#include "wrytograph/layout.h"

/* A block being changed. */
struct change {
    struct wry_region region;
    struct settings *settings;
    struct image *image; /* image of the job with it; or NULL: */
    struct settings_copy found;
    struct settings *before; /* a copy of the settings before the first change; NULL: none yet */
    GPtrArray *keys;
};

struct changes {
    const struct images_job *job;
    const struct target *target;
    const struct settings_description *description;
    GPtrArray *all; /* struct change */
};

static void free_change(void *item)
{
    struct change *change = item;

    if (!change->image)
        settings_free(change->settings);
    settings_free(change->before);
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

/* Reads the block of a region that was not read yet. */
static struct wry_problem *look_at(struct changes *c, const struct wry_region *region,
                                   struct change **change)
{
    *change = find_change(c, region->name);
    if (*change)
        return NULL;
    struct wry_problem *problem = begin_change(c, region, change);
    g_ptr_array_add(c->all, *change);
    return problem;
}

/* No region, or more than one, has a block. */
static struct wry_problem *fail_choice(GPtrArray *names)
{
    bool none = names->len == 0;
    struct wry_problem *problem =
        problem_new(none ? WRY_OUTCOME_WRONG : WRY_OUTCOME_USAGE,
                    none ? WRY_PROBLEM_NO_BLOCKS : WRY_PROBLEM_MANY_BLOCKS, NULL);

    if (!none) {
        g_ptr_array_add(names, NULL);
        problem->names = (char **)g_ptr_array_free(g_ptr_array_ref(names), FALSE);
    }
    return problem;
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
        struct change *change;
        if (name ? strcmp(name, region->name) != 0 : region->kind != WRY_REGION_SETTINGS)
            continue;
        problem = look_at(c, region, &change);
        if (problem)
            return problem;
        if (name && !change->settings)
            return fail_region(WRY_PROBLEM_NO_SETTINGS, change);
        if (!change->settings)
            continue;
        *chosen = change;
        g_ptr_array_add(names, g_strdup(region->name));
    }
    return names->len == 1 ? NULL : fail_choice(names);
}

/* The only region for settings if none has a block; NULL if there is none, or several. */
static struct change *find_empty(const struct changes *c, const char *name)
{
    struct change *empty = NULL;

    for (guint i = 0; i < c->all->len; i++) {
        struct change *change = g_ptr_array_index(c->all, i);
        if (change->settings || change->region.kind != WRY_REGION_SETTINGS ||
            (name && strcmp(name, change->region.name) != 0))
            continue;
        if (empty)
            return NULL;
        empty = change;
    }
    return empty;
}

/* A first block is made where there is none, if the region is blank: nothing is lost then. Without
 * such a region *chosen stays NULL. */
static struct wry_problem *choose_empty(const struct changes *c, const char *name,
                                        struct change **chosen)
{
    struct flash_reader reader = {.station = c->job->station};
    struct change *empty = find_empty(c, name);

    if (!empty)
        return NULL;
    g_autofree uint8_t *bytes = g_malloc(empty->region.length);
    if (!flash_reader_read(&reader, empty->region.offset, bytes, empty->region.length))
        return flash_reader_fail(&reader);
    if (!wry_bytes_blank(bytes, empty->region.length))
        return NULL;
    empty->settings = settings_new();
    empty->found.slot = 1; /* so that the first slot is written */
    *chosen = empty;
    return NULL;
}

static void note_key(struct change *change, const char *key)
{
    if (!change->keys)
        change->keys = g_ptr_array_new_with_free_func(g_free);
    if (!g_ptr_array_find_with_equal_func(change->keys, key, g_str_equal, NULL))
        g_ptr_array_add(change->keys, g_strdup(key));
}

static void begin_editing(struct change *change)
{
    if (!change->before)
        change->before = settings_copy(change->settings);
}

gboolean settings_edit_change(struct settings *settings, const struct wry_setting_change *change,
                              const struct settings_description *description, GError **error)
{
    const char *keys[] = {change->key, NULL};
    bool hide = change->act == WRY_SETTING_HIDE;
    const struct settings_rule *rule = settings_description_find(description, change->key);
    struct settings_change set = {.key = change->key,
                                  .value = change->value,
                                  .is_new = hide || rule || change->act == WRY_SETTING_ADD,
                                  .secret = hide || (rule && rule->secret),
                                  .type = rule ? rule->type : 0};

    if (change->act == WRY_SETTING_UNSET)
        return settings_unset(settings, change->key, error);
    return settings_description_knows(description, change->key, error) &&
           settings_set(settings, &set, error) &&
           settings_description_check(description, settings, keys, error);
}

gboolean settings_edit_load(struct settings *settings, const char *path, bool exactly,
                            const struct settings_description *description, GError **error)
{
    struct settings *from = settings_load(path, error);
    gboolean fits = from && settings_description_check(description, from, NULL, error);

    if (from && !fits)
        g_prefix_error(error, "%s: ", path);
    if (fits)
        settings_merge(settings, from, exactly);
    settings_free(from);
    return fits;
}

static struct wry_problem *change_one(struct changes *c, const struct wry_setting_change *wanted)
{
    struct change *change = NULL;
    GError *error = NULL;
    struct wry_problem *problem = choose(c, wanted->region, &change);

    if (problem || !change)
        return problem;
    begin_editing(change);
    if (!settings_edit_change(change->settings, wanted, c->description, &error))
        return PROBLEM(WRY_OUTCOME_USAGE, WRY_PROBLEM_BAD_SETTING, wanted->key, .cause = error);
    note_key(change, wanted->key);
    return NULL;
}

static struct wry_problem *set_one(struct changes *c, const struct wry_setting_options *options)
{
    return change_one(
        c, &(struct wry_setting_change){.act = options->is_new ? WRY_SETTING_ADD : WRY_SETTING_SET,
                                        .region = options->region,
                                        .key = options->key,
                                        .value = options->value});
}

static struct wry_problem *load_file(struct changes *c, const struct wry_settings_options *edit)
{
    struct change *change = NULL;
    GError *error = NULL;
    struct wry_problem *problem = choose(c, edit->region, &change);
    bool none = problem && (problem->kind == WRY_PROBLEM_NO_BLOCKS ||
                            problem->kind == WRY_PROBLEM_NO_SETTINGS);

    struct wry_problem *unread = none ? choose_empty(c, edit->region, &change) : NULL;
    if (problem && !change && !unread)
        return problem;
    problem_free(problem);
    if (unread)
        return unread;
    begin_editing(change);
    if (!settings_edit_load(change->settings, edit->load, edit->exactly, c->description, &error))
        return problem_of_error(error);
    for (guint i = 0; i < settings_count(change->settings); i++) {
        const struct wry_setting *setting = settings_at(change->settings, i);
        g_autofree char *key = g_strndup(setting->key, setting->key_length);
        if (!settings_holds(change->before, setting))
            note_key(change, key);
    }
    if (!change->keys)
        change->keys = g_ptr_array_new_with_free_func(g_free);
    return NULL;
}

static struct wry_problem *edit(struct changes *c, const struct wry_settings_options *options)
{
    struct wry_problem *problem = options->load ? load_file(c, options) : NULL;

    for (size_t i = 0; i < options->change_count && !problem; i++)
        problem = change_one(c, &options->changes[i]);
    return problem;
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

static const struct wry_setting *old_of(const struct change *change,
                                        const struct wry_setting *setting)
{
    g_autofree char *key = g_strndup(setting->key, setting->key_length);

    return settings_get(change->before, key);
}

/* What changes, by key; ends with NULL. */
static GPtrArray *change_texts(const struct change *change)
{
    GPtrArray *texts = g_ptr_array_new_with_free_func(g_free);

    for (guint i = 0; i < settings_count(change->settings); i++) {
        const struct wry_setting *setting = settings_at(change->settings, i);
        const struct wry_setting *old = old_of(change, setting);
        struct wry_setting masked = {.secret = setting->secret};
        if (old && settings_holds(change->before, setting))
            continue;
        g_autofree char *before = old ? settings_text(setting->secret ? &masked : old) : NULL;
        g_autofree char *after = settings_text(setting);
        g_ptr_array_add(texts, g_strdup_printf("%.*s: %s → %s", setting->key_length, setting->key,
                                               before ? before : "(new)", after));
    }
    for (guint i = 0; i < settings_count(change->before); i++) {
        const struct wry_setting *setting = settings_at(change->before, i);
        g_autofree char *before = settings_text(setting);
        if (!settings_has(change->settings, setting))
            g_ptr_array_add(texts, g_strdup_printf("%.*s: %s → (removed)", setting->key_length,
                                                   setting->key, before));
    }
    g_ptr_array_add(texts, NULL);
    return texts;
}

/* Writes the next generation into the other slot, so that an interruption leaves the old settings.
 * If the block already has these values, it is only compared. */
static struct wry_problem *add_image(const struct changes *c, struct change *change)
{
    uint32_t room = wry_settings_slot(change->region.length);
    bool changed = !settings_equal(change->before, change->settings);
    unsigned slot = changed ? 1 - change->found.slot : change->found.slot;
    GError *error = NULL;
    struct image *image = images_add(*c->job->held);
    struct image_file *file = image_source_settings(
        "settings", change->settings, change->found.head.generation + changed, &error);

    image->path = g_strdup("settings");
    image->place = g_strdup(change->region.name);
    image->facts.path = image->facts.name = image->path;
    if (!file)
        return problem_of_error(error);
    image->facts.what = WRY_WHAT_SETTINGS;
    image->keys = g_steal_pointer(&change->keys);
    g_ptr_array_add(image->keys, NULL);
    image->facts.keys = (const char *const *)image->keys->pdata;
    image->changes = change_texts(change);
    image->facts.changes = (const char *const *)image->changes->pdata;
    image->region = change->region;
    image->facts.region = &image->region;
    struct wry_problem *problem = image_take_file(image, file, false);
    image_place(image, change->region.offset + slot * room);
    image->facts.rest_offset = image->facts.start + (uint32_t)image->facts.span;
    image->facts.rest_length = room - (uint32_t)MIN(image->facts.span, room);
    return problem ? problem : check_room(change, file);
}

static void free_edited(void *item)
{
    struct settings_edited *edited = item;

    settings_free(edited->before);
    settings_free(edited->after);
    g_free(edited);
}

GPtrArray *settings_edited_new(void)
{
    return g_ptr_array_new_with_free_func(free_edited);
}

static void note_edited(const struct changes *c, const struct change *change)
{
    struct settings_edited *edited = g_new0(struct settings_edited, 1);

    edited->region = change->region;
    edited->generation = change->found.head.generation;
    edited->before = settings_copy(change->before);
    edited->after = settings_copy(change->settings);
    g_ptr_array_add(c->job->edited, edited);
}

/* Puts the changed blocks into the job. */
static struct wry_problem *finish(struct changes *c)
{
    struct wry_problem *problem = NULL;

    for (guint i = 0; i < c->all->len && !problem; i++) {
        struct change *change = g_ptr_array_index(c->all, i);
        if (!change->before)
            continue;
        secrets_learn(&c->job->station->secrets, change->before);
        secrets_learn(&c->job->station->secrets, change->settings);
        if (c->job->edited)
            note_edited(c, change);
        problem = change->image ? remake(change) : add_image(c, change);
    }
    return problem;
}

/* Checks a settings file among the images by the description, which may make keys secret. */
static struct wry_problem *check_file(const struct changes *c, struct image *image)
{
    struct change change = {.image = image, .settings = image->settings};
    struct settings *before = settings_copy(image->settings);
    struct wry_problem *problem = NULL;
    GError *error = NULL;

    change.region.offset = image->facts.base;
    change.region.length = 2 * WRY_SETTINGS_BLOCK_MAX;
    if (image->facts.region)
        change.region = *image->facts.region;
    if (!settings_description_check(c->description, image->settings, NULL, &error)) {
        g_prefix_error(&error, "%s: ", image->path);
        problem = problem_of_error(error);
    } else if (!settings_equal(before, image->settings)) {
        problem = remake(&change);
    }
    settings_free(before);
    return problem;
}

static struct wry_problem *check_files(const struct changes *c)
{
    const struct wry_image_set *held = *c->job->held;
    struct wry_problem *problem = NULL;

    for (size_t i = 0; i < held->count && c->description && !problem; i++) {
        if (held->images[i]->settings)
            problem = check_file(c, held->images[i]);
    }
    return problem;
}

static bool is_about_settings(const struct images_job *job)
{
    const struct wry_image_set *held = *job->held;

    for (size_t i = 0; i < held->count; i++) {
        if (held->images[i]->settings)
            return true;
    }
    return job->edit || job->options->setting_count > 0;
}

struct wry_problem *settings_edit_apply(const struct images_job *job, const struct target *target)
{
    g_autoptr(GPtrArray) all = g_ptr_array_new_with_free_func(free_change);
    struct changes c = {.job = job, .target = target, .all = all};

    if (!is_about_settings(job))
        return NULL;
    struct wry_problem *problem = described_load(job->station, target, *job->held, &c.description);
    if (!problem)
        problem = check_files(&c);
    if (job->use != IMAGE_WRITE || problem)
        return problem;
    for (size_t i = 0; i < job->options->setting_count && !problem; i++)
        problem = set_one(&c, &job->options->settings[i]);
    if (!problem && job->edit)
        problem = edit(&c, job->edit);
    return problem ? problem : finish(&c);
}
