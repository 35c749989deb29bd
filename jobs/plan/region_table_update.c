/* A region table among the images. */
#include "jobs/plan/region_table_update.h"

#include "jobs/plan/placement_rules.h"
#include "jobs/station/flash_reader.h"
#include "wrytograph/layout.h"

static bool is_the_table(const struct image *image, const struct target *target)
{
    const struct wry_region *region;

    if (image->facts.what != WRY_WHAT_TABLE)
        return false;
    if (!image->place && image->file->format == WRY_IMAGE_RAW)
        return true;
    if (!image->place || image_has_offset(image))
        return image->facts.start == target->chip->table_offset;
    region = wry_layout_find(&target->layout.table, image->place);
    if (!region)
        region = wry_layout_find(&image->table, image->place);
    return region && region->kind == WRY_REGION_TABLE;
}

static struct wry_problem *check_fit(const struct image *image, const struct target *target)
{
    const struct wry_region_table *table = &image->table;
    uint32_t which, other;

    if (table->flash_size > target->flash_size)
        return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_TABLE_FLASH, image->facts.path,
                       .expected = table->flash_size, .found = target->flash_size);
    if (wry_layout_check(table, target->flash_size, &which, &other) == WRY_LAYOUT_FINE)
        return NULL;
    struct wry_problem *problem =
        problem_new(WRY_OUTCOME_WRONG, WRY_PROBLEM_TABLE_UNFIT, image->facts.path);
    problem->found = target->flash_size;
    if (which < table->count)
        problem->region = table->regions[which];
    return problem;
}

static void note_moved(struct wry_image_set *held, const struct target *target,
                       const struct wry_region_table *table)
{
    held->moved = g_array_new(FALSE, FALSE, sizeof(struct wry_moved_region));
    for (uint32_t i = 0; i < table->count && placement_are_firm(target); i++) {
        const struct wry_region *old =
            wry_layout_find(&target->layout.table, table->regions[i].name);
        struct wry_moved_region moved = {.to = table->regions[i]};
        if (!old || old->offset == moved.to.offset)
            continue;
        moved.from = *old;
        g_array_append_val(held->moved, moved);
    }
}

struct wry_problem *region_table_update_apply(const struct images_job *job, struct target *target)
{
    struct wry_image_set *held = *job->held;

    if (!target->chip || target->chip->table_offset == WRY_NO_OFFSET)
        return NULL;
    for (size_t i = 0; i < held->count; i++) {
        struct image *image = held->images[i];
        if (!is_the_table(image, target))
            continue;
        struct wry_problem *problem = check_fit(image, target);
        if (problem)
            return problem;
        note_moved(held, target, &image->table);
        held->table_image = image;
        target->layout = (struct wry_layout){
            .source = WRY_LAYOUT_SOURCE_JOB, .file = image->facts.name, .table = image->table};
        return NULL;
    }
    return NULL;
}

static bool is_written(const struct wry_image_set *held, uint32_t offset)
{
    for (size_t i = 0; i < held->count; i++) {
        const struct wry_planned_image *image = &held->images[i]->facts;
        if (offset >= image->start && offset - image->start < image->span)
            return true;
    }
    return false;
}

struct wry_problem *region_table_update_check(const struct images_job *job,
                                              const struct target *target)
{
    const struct wry_image_set *held = *job->held;
    struct wry_boot_header header;
    uint8_t bytes[WRY_BOOT_HEADER_SIZE];

    if (!held->table_image || !target->on_link || job->use != IMAGE_WRITE ||
        job->options->any_place)
        return NULL;
    for (guint i = 0; i < held->moved->len; i++) {
        const struct wry_moved_region *moved =
            &g_array_index(held->moved, struct wry_moved_region, i);
        struct flash_reader reader = {.station = job->station};
        if (moved->to.kind != WRY_REGION_APP || is_written(held, moved->to.offset))
            continue;
        if (!flash_reader_read(&reader, moved->to.offset, bytes, sizeof bytes))
            return flash_reader_fail(&reader);
        if (wry_boot_header_present(bytes) && wry_boot_header_get(&header, bytes))
            continue;
        struct wry_problem *problem =
            placement_fail(WRY_PROBLEM_APP_LEFT, held->table_image, &moved->to);
        problem->start = moved->from.offset;
        return problem;
    }
    return NULL;
}
