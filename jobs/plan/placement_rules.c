/* The rules for places of images: by region name, by offset, or by what the header says; and the
 * doubts about a place. */
#include "jobs/plan/placement_rules.h"

#include "store/image/settings_file.h"
#include "wrytograph/layout.h"

static uint64_t end_of(const struct image *image)
{
    return image->facts.start + image->facts.span;
}

static uint64_t region_end(const struct wry_region *region)
{
    return (uint64_t)region->offset + region->length;
}

struct wry_problem *placement_fail(enum wry_problem_kind kind, const struct image *image,
                                   const struct wry_region *region)
{
    struct wry_problem *problem = problem_new(WRY_OUTCOME_WRONG, kind, image->facts.path);
    problem->start = image->facts.start;
    problem->last = end_of(image) - 1;
    problem->found = image->facts.header.kind;
    if (region)
        problem->region = *region;
    return problem;
}

bool placement_are_firm(const struct target *target)
{
    return target->layout.source == WRY_LAYOUT_SOURCE_FILE ||
           target->layout.source == WRY_LAYOUT_SOURCE_BOARD ||
           target->layout.source == WRY_LAYOUT_SOURCE_JOB;
}

bool placement_is_for_programs(const struct wry_region *region)
{
    return region->kind == WRY_REGION_APP || region->kind == WRY_REGION_START;
}

/* True if a region is of the kind that the file's header names. */
static bool fits(const struct image *image, const struct wry_region *region)
{
    uint8_t kind = image->facts.header.kind;

    if (image->facts.what == WRY_WHAT_TABLE)
        return region->kind == WRY_REGION_TABLE;
    return placement_is_for_programs(region) && image->facts.span <= region->length &&
           (kind == WRY_PROGRAM_UNSAID || kind == region->kind);
}

/* Names of all regions that fit, ending with NULL. */
static char **fitting(const struct target *target, const struct image *image)
{
    const struct wry_region_table *layout = &target->layout.table;
    GPtrArray *names = g_ptr_array_new();

    for (uint32_t i = 0; i < layout->count; i++) {
        if (fits(image, &layout->regions[i]))
            g_ptr_array_add(names, g_strdup(layout->regions[i].name));
    }
    g_ptr_array_add(names, NULL);
    return (char **)g_ptr_array_free(names, FALSE);
}

const char *placement_of_program(const struct target *target, const struct image *image)
{
    char **names = fitting(target, image);
    const struct wry_region *region =
        names[0] && !names[1] ? wry_layout_find(&target->layout.table, names[0]) : NULL;

    g_strfreev(names);
    return region ? region->name : NULL;
}

static void put_into(struct image *image, const struct wry_region *region)
{
    image->region = *region;
    image->facts.region = &image->region;
    if (image_may_move(image))
        image_place(image, region->offset);
}

static struct wry_problem *find_place(const struct target *target, struct image *image)
{
    char **names = fitting(target, image);

    if (names[0] && names[1])
        return PROBLEM(WRY_OUTCOME_USAGE, WRY_PROBLEM_MANY_PLACES, image->facts.path,
                       .names = names);
    const struct wry_region *region =
        names[0] ? wry_layout_find(&target->layout.table, names[0]) : NULL;
    g_strfreev(names);
    if (!region)
        return placement_fail(WRY_PROBLEM_NO_PLACE_FITS, image, NULL);
    put_into(image, region);
    image->facts.place_found = true;
    return NULL;
}

/* In a region that is not for settings, a settings file is plain text. */
static struct wry_problem *take_as_text(struct image *image)
{
    const enum wry_image_format raw = WRY_IMAGE_RAW;
    GError *error = NULL;
    struct image_file *file = image_file_open(image->path, &raw, &error);

    if (!file)
        return problem_of_error(error);
    image_file_free(image->file);
    image->facts.what = WRY_WHAT_OTHER;
    image->facts.keys = NULL;
    return image_take_file(image, file, false);
}

static struct wry_problem *settle_settings(struct image *image, const struct wry_region *region)
{
    uint32_t room = wry_settings_slot(region->length);

    if (image->settings_error)
        return problem_of_error(g_steal_pointer(&image->settings_error));
    if (image->facts.length <= room)
        return NULL;
    struct wry_problem *problem = placement_fail(WRY_PROBLEM_SETTINGS_ROOM, image, region);
    problem->expected = room;
    problem->found = image->facts.length;
    return problem;
}

static struct wry_problem *settle_what(struct image *image, const struct wry_region *region)
{
    if (image->facts.what == WRY_WHAT_FOLDER && (!region || region->kind != WRY_REGION_FILES))
        return placement_fail(WRY_PROBLEM_FOLDER_KIND, image, region);
    if ((image->settings || image->settings_error) && region) {
        if (region->kind == WRY_REGION_SETTINGS)
            return settle_settings(image, region);
        if (image->settings)
            return take_as_text(image);
    }
    return NULL;
}

struct wry_problem *placement_resolve(const struct target *target, struct image *image)
{
    struct wry_problem *problem;

    if (!image->place)
        return image->file->format == WRY_IMAGE_RAW ? find_place(target, image) : NULL;
    if (image_has_offset(image))
        return settle_what(image, wry_layout_at(&target->layout.table, image->facts.start));
    const struct wry_region *region;
    problem = regions_find(target, image->place, &region);
    if (!problem)
        problem = settle_what(image, region);
    if (!problem)
        put_into(image, region);
    return problem;
}

const struct wry_region *placement_region(const struct target *target, const struct image *image)
{
    const struct wry_region *region = image->facts.region;

    if (region || !placement_are_firm(target))
        return region;
    region = wry_layout_at(&target->layout.table, image->facts.start);
    return region && region->offset == image->facts.start ? region : NULL;
}

void placement_find_rest(const struct target *target, struct image *image)
{
    const struct wry_region *region = placement_region(target, image);
    uint64_t end = end_of(image);

    /* A block for one slot: the other one stays. */
    if (image->facts.what == WRY_WHAT_SETTINGS && !image->settings)
        return;

    if (!region || (region->kind != WRY_REGION_SETTINGS && region->kind != WRY_REGION_FILES) ||
        image->facts.start != region->offset || image->file->extents->len != 1 ||
        end >= region_end(region))
        return;
    image->facts.rest_offset = (uint32_t)end;
    image->facts.rest_length = (uint32_t)(region_end(region) - end);
}

static bool touches(const struct wry_region *region, uint64_t start, uint64_t end)
{
    return region->offset < end && region_end(region) > start;
}

static enum wry_place_doubt doubt_of(const struct image *image, const struct wry_region *region,
                                     uint64_t start, uint64_t end)
{
    bool within = start >= region->offset && end <= region_end(region);

    if (region->kind == WRY_REGION_TABLE)
        return within && start == region->offset && image->facts.what == WRY_WHAT_TABLE
                   ? WRY_DOUBT_NONE
                   : WRY_DOUBT_TABLE;
    if (region->kind == WRY_REGION_SETTINGS)
        return WRY_DOUBT_SETTINGS;
    return within ? WRY_DOUBT_NONE : WRY_DOUBT_ACROSS;
}

/* Finds the most serious doubt. */
static void find_doubt(const struct target *target, struct image *image)
{
    const struct wry_region_table *layout = &target->layout.table;

    for (guint k = 0; k < image->file->extents->len; k++) {
        const struct image_extent *extent =
            &g_array_index(image->file->extents, struct image_extent, k);
        uint64_t start = (uint64_t)image->facts.base + extent->address;
        uint64_t end = start + extent->length;
        for (uint32_t i = 0; i < layout->count; i++) {
            const struct wry_region *region = &layout->regions[i];
            enum wry_place_doubt doubt =
                touches(region, start, end) ? doubt_of(image, region, start, end) : WRY_DOUBT_NONE;
            if (doubt <= image->facts.doubt)
                continue;
            image->facts.doubt = doubt;
            image->facts.doubt_region = *region;
        }
    }
}

static char **touched_names(const struct target *target, const struct image *image)
{
    const struct wry_region_table *layout = &target->layout.table;
    char **names = g_new0(char *, layout->count + 1);
    size_t n = 0;

    for (uint32_t i = 0; i < layout->count; i++) {
        if (touches(&layout->regions[i], image->facts.start, end_of(image)))
            names[n++] = g_strdup(layout->regions[i].name);
    }
    return names;
}

struct wry_problem *placement_check(const struct target *target, struct image *image,
                                    bool any_place)
{
    static const enum wry_problem_kind kinds[] = {
        [WRY_DOUBT_ACROSS] = WRY_PROBLEM_ACROSS,
        [WRY_DOUBT_SETTINGS] = WRY_PROBLEM_OVER_SETTINGS,
        [WRY_DOUBT_TABLE] = WRY_PROBLEM_OVER_TABLE,
    };

    if (image->facts.region)
        return NULL;
    find_doubt(target, image);
    if (image->facts.doubt == WRY_DOUBT_NONE || any_place || !placement_are_firm(target))
        return NULL;
    struct wry_problem *problem =
        placement_fail(kinds[image->facts.doubt], image, &image->facts.doubt_region);
    problem->names = touched_names(target, image);
    return problem;
}
