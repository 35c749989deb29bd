/* Several images as one plan. */
#include "images.h"

#include "board.h"
#include "store/archive.h"

enum wry_outcome images_open(const struct images_job *job)
{
    const struct wry_images_wanted *wanted = job->wanted;
    struct wry_held *own = *job->held = g_new0(struct wry_held, 1);
    enum wry_outcome outcome = WRY_OUTCOME_DONE;

    if (wanted->image_count == 0)
        return station_fail(job->station, WRY_OUTCOME_USAGE, WRY_PROBLEM_NO_IMAGES, NULL);
    own->images = g_new0(struct image *, wanted->image_count);
    own->facts = g_new0(const struct wry_planned_image *, wanted->image_count);
    for (size_t i = 0; i < wanted->image_count && outcome == WRY_OUTCOME_DONE; i++) {
        own->images[i] = g_new0(struct image, 1);
        own->facts[i] = &own->images[i]->facts;
        own->count++;
        outcome = image_open(job->station, own->images[i], &wanted->images[i], wanted->format,
                             job->use == IMAGE_WRITE);
    }
    return outcome;
}

/* Regions by name: raw content goes to their start, addresses stay as they are. */
static enum wry_outcome resolve(struct wry_station *station, const struct target *target,
                                struct image *image)
{
    if (!image->place || image_has_offset(image))
        return WRY_OUTCOME_DONE;
    const struct wry_region *region = regions_find(station, target, image->place);
    if (!region)
        return station->problem.outcome;
    image->region = *region;
    image->facts.region = &image->region;
    if (image->file->format == WRY_IMAGE_RAW)
        image_place(image, region->offset);
    return WRY_OUTCOME_DONE;
}

static size_t make_items(struct wry_held *held)
{
    size_t count = 0, n = 0;

    for (size_t i = 0; i < held->count; i++)
        count += held->images[i]->file->extents->len;
    held->items = g_new0(struct wry_placement, count);
    held->pieces = g_new0(struct image_piece, count);
    for (size_t i = 0; i < held->count; i++) {
        const struct image *image = held->images[i];
        for (guint k = 0; k < image->file->extents->len; k++, n++) {
            const struct image_extent *extent =
                &g_array_index(image->file->extents, struct image_extent, k);
            held->pieces[n] = (struct image_piece){.image = image, .address = extent->address};
            held->items[n] = (struct wry_placement){.offset = image->facts.base + extent->address,
                                                    .length = extent->length,
                                                    .reader = image_reader(&held->pieces[n]),
                                                    .label = &image->facts};
        }
    }
    return count;
}

static const char *path_of(const struct wry_held *held, uint64_t item)
{
    return ((const struct wry_planned_image *)held->items[item].label)->path;
}

static enum wry_outcome fail_plan(struct wry_station *station, const struct wry_held *held,
                                  const struct wry_fault *fault)
{
    if (fault->status == WRY_OVERLAP) {
        station_fail(station, WRY_OUTCOME_USAGE, WRY_PROBLEM_IMAGES_SHARE,
                     path_of(held, fault->expected));
        station->problem.other = g_strdup(path_of(held, fault->found));
        station->problem.last = (uint64_t)fault->offset + fault->length - 1;
    } else {
        station_fail(station, WRY_OUTCOME_WRONG, WRY_PROBLEM_IMAGE_BEYOND,
                     path_of(held, fault->expected));
        station->problem.expected = (uint64_t)fault->offset + fault->length;
        station->problem.found = fault->found;
    }
    station->problem.start = fault->offset;
    return station->problem.outcome;
}

void images_count_sectors(struct wry_planned *planned)
{
    struct wry_run run;

    planned->sectors = planned->kept = 0;
    for (uint32_t from = 0; wry_plan_next_run(&planned->plan, from, &run); from = run.end) {
        uint32_t length = run.end - run.start;
        planned->sectors += length / WRY_SECTOR_SIZE;
        planned->kept += length - wry_plan_covered(&planned->plan, run.start, length);
    }
}

enum wry_outcome images_plan(const struct images_job *job, const struct target *target)
{
    struct wry_station *station = job->station;
    struct wry_held *held = *job->held;
    struct wry_fault fault;
    enum wry_outcome outcome = WRY_OUTCOME_DONE;

    for (size_t i = 0; i < held->count && outcome == WRY_OUTCOME_DONE; i++)
        outcome = resolve(station, target, held->images[i]);
    /* A program in the wrong region is that first of all, and an overlap only because of it. */
    for (size_t i = 0; i < held->count && outcome == WRY_OUTCOME_DONE; i++)
        outcome = image_check_region(station, held->images[i], job->use);
    if (outcome != WRY_OUTCOME_DONE)
        return outcome;
    size_t count = make_items(held);
    struct wry_plan plan;
    if (wry_plan_init(&plan, held->items, count, target->flash_size, &fault) != WRY_OK)
        return fail_plan(station, held, &fault);
    for (size_t i = 0; i < held->count && outcome == WRY_OUTCOME_DONE; i++)
        outcome = image_check(station, held->images[i], target, job->use, job->wanted);
    *job->planned = (struct wry_planned){.chip = target->chip,
                                         .flash_size = target->flash_size,
                                         .layout = target->layout,
                                         .image_count = held->count,
                                         .images = held->facts,
                                         .plan = plan,
                                         .every_sector = job->wanted->every_sector,
                                         .dry_run = job->wanted->dry_run};
    images_count_sectors(job->planned);
    return outcome;
}

enum wry_outcome images_prepare(const struct images_job *job)
{
    struct target target;
    enum wry_outcome outcome = images_open(job);

    if (outcome == WRY_OUTCOME_DONE)
        outcome = board_connect(job->station, job->settles);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = regions_of_board(job->station, &target);
    return outcome == WRY_OUTCOME_DONE ? images_plan(job, &target) : outcome;
}

void images_free(struct wry_held *held)
{
    if (!held)
        return;
    for (size_t i = 0; i < held->count; i++)
        image_close(held->images[i]);
    g_free(held->images);
    g_free(held->facts);
    g_free(held->items);
    g_free(held->pieces);
    archive_free(held->archive);
    g_free(held);
}
