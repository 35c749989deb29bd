/* Where images go. */
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

enum wry_outcome placement_fail(struct wry_station *station, enum wry_problem_kind kind,
                                const struct image *image, const struct wry_region *region)
{
    station_fail(station, WRY_OUTCOME_WRONG, kind, image->facts.path);
    station->problem.start = image->facts.start;
    station->problem.last = end_of(image) - 1;
    station->problem.found = image->facts.header.kind;
    if (region)
        station->problem.region = *region;
    return station->problem.outcome;
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

/* Whether a region is one for what the file says of itself. */
static bool fits(const struct image *image, const struct wry_region *region)
{
    uint8_t kind = image->facts.header.kind;

    if (image->facts.what == WRY_WHAT_TABLE)
        return region->kind == WRY_REGION_TABLE;
    return placement_is_for_programs(region) && image->facts.span <= region->length &&
           (kind == WRY_PROGRAM_UNSAID || kind == region->kind);
}

/* All regions that fit; names[0] is the first. Ends with NULL. */
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
    if (image->file->format == WRY_IMAGE_RAW)
        image_place(image, region->offset);
}

static enum wry_outcome find_place(struct wry_station *station, const struct target *target,
                                   struct image *image)
{
    char **names = fitting(target, image);

    if (names[0] && names[1]) {
        station_fail(station, WRY_OUTCOME_USAGE, WRY_PROBLEM_MANY_PLACES, image->facts.path);
        station->problem.names = names;
        return station->problem.outcome;
    }
    const struct wry_region *region =
        names[0] ? wry_layout_find(&target->layout.table, names[0]) : NULL;
    g_strfreev(names);
    if (!region)
        return placement_fail(station, WRY_PROBLEM_NO_PLACE_FITS, image, NULL);
    put_into(image, region);
    image->facts.place_found = true;
    return WRY_OUTCOME_DONE;
}

/* A settings file for a region that is not for settings is the text it is. */
static enum wry_outcome take_as_text(struct wry_station *station, struct image *image)
{
    const enum wry_image_format raw = WRY_IMAGE_RAW;
    GError *error = NULL;
    struct image_file *file = image_file_open(image->path, &raw, &error);

    if (!file)
        return station_fail_system(station, error);
    image_file_free(image->file);
    image->facts.what = WRY_WHAT_OTHER;
    image->facts.keys = NULL;
    return image_take_file(station, image, file, false);
}

static enum wry_outcome settle_settings(struct wry_station *station, struct image *image,
                                        const struct wry_region *region)
{
    uint32_t room = wry_settings_slot(region->length);

    if (image->settings_error)
        return station_fail_system(station, g_steal_pointer(&image->settings_error));
    if (image->facts.length <= room)
        return WRY_OUTCOME_DONE;
    placement_fail(station, WRY_PROBLEM_SETTINGS_ROOM, image, region);
    station->problem.expected = room;
    station->problem.found = image->facts.length;
    return station->problem.outcome;
}

static enum wry_outcome settle_what(struct wry_station *station, struct image *image,
                                    const struct wry_region *region)
{
    if (image->facts.what == WRY_WHAT_FOLDER && (!region || region->kind != WRY_REGION_FILES))
        return placement_fail(station, WRY_PROBLEM_FOLDER_KIND, image, region);
    if ((image->settings || image->settings_error) && region) {
        if (region->kind == WRY_REGION_SETTINGS)
            return settle_settings(station, image, region);
        if (image->settings)
            return take_as_text(station, image);
    }
    return WRY_OUTCOME_DONE;
}

enum wry_outcome placement_resolve(struct wry_station *station, const struct target *target,
                                   struct image *image)
{
    enum wry_outcome outcome;

    if (!image->place)
        return image->file->format == WRY_IMAGE_RAW ? find_place(station, target, image)
                                                    : WRY_OUTCOME_DONE;
    if (image_has_offset(image))
        return settle_what(station, image,
                           wry_layout_at(&target->layout.table, image->facts.start));
    const struct wry_region *region = regions_find(station, target, image->place);
    if (!region)
        return station->problem.outcome;
    outcome = settle_what(station, image, region);
    if (outcome == WRY_OUTCOME_DONE)
        put_into(image, region);
    return outcome;
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

    /* A block for one of two copies: the other one stays. */
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

/* The gravest one. */
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

enum wry_outcome placement_check(struct wry_station *station, const struct target *target,
                                 struct image *image, bool any_place)
{
    static const enum wry_problem_kind kinds[] = {
        [WRY_DOUBT_ACROSS] = WRY_PROBLEM_ACROSS,
        [WRY_DOUBT_SETTINGS] = WRY_PROBLEM_OVER_SETTINGS,
        [WRY_DOUBT_TABLE] = WRY_PROBLEM_OVER_TABLE,
    };

    if (image->facts.region)
        return WRY_OUTCOME_DONE;
    find_doubt(target, image);
    if (image->facts.doubt == WRY_DOUBT_NONE || any_place || !placement_are_firm(target))
        return WRY_OUTCOME_DONE;
    placement_fail(station, kinds[image->facts.doubt], image, &image->facts.doubt_region);
    station->problem.names = touched_names(target, image);
    return station->problem.outcome;
}
