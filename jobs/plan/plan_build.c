/*
 * From options to a checked plan.
 *
 * The order matters: places are chosen first, so that later checks can name regions; a region table
 * in the job replaces the layout before the others are placed; single settings are edited last,
 * when it is known which block the job leaves. Nothing on the board is changed here.
 */
#include "jobs/plan/plan_build.h"

#include <string.h>

#include "jobs/plan/backup_records.h"
#include "jobs/plan/placement_rules.h"
#include "jobs/plan/region_table_update.h"
#include "jobs/plan/settings_edit.h"
#include "jobs/plan/shelf_source.h"
#include "jobs/station/flash_reader.h"
#include "jobs/station/secrets.h"
#include "jobs/station/station_board.h"

static struct wry_problem *for_each(const struct images_job *job, struct target *target,
                                    struct wry_problem *(*step)(const struct images_job *job,
                                                                struct target *target,
                                                                struct image *image))
{
    const struct wry_image_set *held = *job->held;
    struct wry_problem *problem = NULL;

    for (size_t i = 0; i < held->count && !problem; i++)
        problem = step(job, target, held->images[i]);
    return problem;
}

static struct wry_problem *choose(const struct images_job *job, struct target *target,
                                  struct image *image)
{
    if (image->file)
        return NULL;
    return shelf_source_open(target, image, job->use == IMAGE_WRITE && !job->options->any_content);
}

static struct wry_problem *place(const struct images_job *job, struct target *target,
                                 struct image *image)
{
    /* Without a place, a wrong chip is reported rather than the missing place that results from it.
     */
    if (!image->place && image->facts.has_header && job->use == IMAGE_WRITE) {
        struct wry_problem *problem = image_check_chip(image, target);
        if (problem)
            return problem;
    }
    return placement_resolve(target, image);
}

static struct wry_problem *check_region(const struct images_job *job, struct target *target,
                                        struct image *image)
{
    return job->use == IMAGE_WRITE ? image_check_region(image, target, job->options) : NULL;
}

static struct wry_problem *find_rest(const struct images_job *job, struct target *target,
                                     struct image *image)
{
    (void)job;
    placement_find_rest(target, image);
    return NULL;
}

static struct wry_problem *check(const struct images_job *job, struct target *target,
                                 struct image *image)
{
    return image_check(image, target, job->use, job->options);
}

/* An upgrade needs a program to upgrade. */
static struct wry_problem *check_upgrade(const struct images_job *job, struct target *target,
                                         struct image *image)
{
    struct flash_reader reader = {.station = job->station};
    uint8_t bytes[WRY_BOOT_HEADER_SIZE];
    struct wry_boot_header header;

    if (!image->facts.header.only_upgrade || job->use != IMAGE_WRITE || !target->on_link)
        return NULL;
    if (!flash_reader_read(&reader, image->facts.start, bytes, sizeof bytes))
        return flash_reader_fail(&reader);
    if (wry_boot_header_present(bytes) && wry_boot_header_get(&header, bytes))
        return NULL;
    return placement_fail(WRY_PROBLEM_ONLY_UPGRADE, image, placement_region(target, image));
}

static struct wry_problem *check_origin(const struct images_job *job, struct target *target,
                                        struct image *image)
{
    if (job->use != IMAGE_WRITE || !target->on_link || job->options->from_another_board ||
        image->facts.what == WRY_WHAT_SETTINGS)
        return NULL;
    return backup_records_check_origin(job->station, image, &target->layout.table);
}

/* Two files, each of which fits the other's place. */
static void tell_swapped(const struct images_job *job, const struct target *target,
                         struct wry_problem *problem)
{
    const struct wry_image_set *held = *job->held;

    for (size_t i = 0; i < held->count && problem->kind == WRY_PROBLEM_OTHER_KIND; i++) {
        const struct image *other = held->images[i];
        const struct wry_region *region = placement_region(target, other);
        if (region && other->facts.has_header && region->kind == problem->found &&
            other->facts.header.kind == problem->region.kind) {
            problem->kind = WRY_PROBLEM_SWAPPED;
            g_free(problem->other);
            problem->other = g_strdup(other->facts.path);
        }
    }
}

static struct wry_problem *check_twice(const struct images_job *job)
{
    const struct wry_image_set *held = *job->held;

    for (size_t i = 0; i < held->count; i++) {
        const struct wry_planned_image *a = &held->images[i]->facts;
        for (size_t k = 0; k < i && a->region; k++) {
            const struct wry_planned_image *b = &held->images[k]->facts;
            if (!b->region || strcmp(a->region->name, b->region->name) != 0 || a->start != b->start)
                continue;
            struct wry_problem *problem =
                placement_fail(WRY_PROBLEM_REGION_TWICE, held->images[k], a->region);
            problem->other = g_strdup(a->path);
            problem->outcome = WRY_OUTCOME_USAGE;
            return problem;
        }
    }
    return NULL;
}

static void learn_secrets(const struct images_job *job)
{
    const struct wry_image_set *held = *job->held;

    for (size_t i = 0; i < held->count; i++)
        secrets_learn(&job->station->secrets, held->images[i]->settings);
}

/* Chooses all places. */
static struct wry_problem *settle_places(const struct images_job *job, struct target *target)
{
    struct wry_problem *problem = for_each(job, target, choose);

    if (!problem)
        problem = region_table_update_apply(job, target);
    if (!problem)
        problem = for_each(job, target, place);
    if (!problem)
        problem = check_twice(job);
    return problem ? problem : settings_edit_apply(job, target);
}

struct wry_problem *plan_build(const struct images_job *job, struct target *target)
{
    /* Includes values that are about to be replaced. */
    learn_secrets(job);
    struct wry_problem *problem = settle_places(job, target);

    /* A program in the wrong region is reported as that, and not as the overlap that results from
     * it. */
    if (!problem) {
        problem = for_each(job, target, check_region);
        if (problem)
            tell_swapped(job, target, problem);
    }
    if (!problem)
        problem = for_each(job, target, find_rest);
    if (!problem)
        problem = images_lay_out(job, target);
    if (!problem)
        problem = for_each(job, target, check);
    if (!problem)
        problem = region_table_update_check(job, target);
    if (!problem)
        problem = for_each(job, target, check_upgrade);
    learn_secrets(job);
    return problem ? problem : for_each(job, target, check_origin);
}

struct wry_problem *plan_build_for_board(const struct images_job *job)
{
    struct target target;
    struct wry_problem *problem = images_open(job);

    if (!problem)
        problem = board_connect(job->station, job->recovers);
    if (!problem)
        problem = regions_of_board(job->station, &target);
    return problem ? problem : plan_build(job, &target);
}
