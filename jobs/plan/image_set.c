/* Several images in one plan. */
#include "jobs/plan/image_set.h"

#include "jobs/station/known_content.h"
#include "jobs/station/run_record.h"
#include "store/archive/archive.h"
#include "wrytograph-host/settings.h"

struct image *images_add(struct wry_image_set *held)
{
    struct image *image = held->images[held->count] = g_new0(struct image, 1);

    held->facts[held->count++] = &image->facts;
    return image;
}

struct wry_problem *images_open(const struct images_job *job)
{
    const struct wry_images_options *options = job->options;
    struct wry_image_set *own = *job->held = g_new0(struct wry_image_set, 1);
    struct wry_problem *problem = NULL;

    size_t blocks = options->setting_count;
    if (job->edit)
        blocks += job->edit->change_count + (job->edit->load != NULL);
    if (options->image_count + blocks == 0)
        return problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_NO_IMAGES, NULL);
    own->room = options->image_count + blocks;
    own->images = g_new0(struct image *, own->room);
    own->facts = g_new0(const struct wry_planned_image *, own->room);
    for (size_t i = 0; i < options->image_count && !problem; i++)
        problem = image_open(images_add(own), &options->images[i], options->format,
                             job->use == IMAGE_WRITE && !options->any_content);
    return problem;
}

/* When comparing, the rest of a region does not matter, except after a settings block: the other
 * slot is there. */
static bool covers_rest(const struct images_job *job, const struct image *image)
{
    return image->facts.rest_length > 0 &&
           (job->use == IMAGE_WRITE || image->facts.what == WRY_WHAT_SETTINGS);
}

static size_t make_items(const struct images_job *job)
{
    struct wry_image_set *held = *job->held;
    size_t count = 0, n = 0;

    for (size_t i = 0; i < held->count; i++)
        count += held->images[i]->file->extents->len + 1;
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
        if (covers_rest(job, image))
            held->items[n++] = (struct wry_placement){.offset = image->facts.rest_offset,
                                                      .length = image->facts.rest_length,
                                                      .reader = wry_reader_blank(),
                                                      .label = &image->facts};
    }
    return n;
}

static const char *path_of(const struct wry_image_set *held, uint64_t item)
{
    return ((const struct wry_planned_image *)held->items[item].label)->path;
}

static struct wry_problem *fail_plan(const struct wry_image_set *held,
                                     const struct wry_fault *fault)
{
    struct wry_problem *problem;

    if (fault->status == WRY_OVERLAP) {
        problem = problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_IMAGES_SHARE,
                              path_of(held, fault->expected));
        problem->other = g_strdup(path_of(held, fault->found));
        problem->last = (uint64_t)fault->offset + fault->length - 1;
    } else {
        problem = problem_new(WRY_OUTCOME_WRONG, WRY_PROBLEM_IMAGE_BEYOND,
                              path_of(held, fault->expected));
        problem->expected = (uint64_t)fault->offset + fault->length;
        problem->found = fault->found;
    }
    problem->start = fault->offset;
    return problem;
}

void images_count_sectors(struct wry_planned *planned)
{
    struct wry_span span;

    planned->sectors = planned->kept = 0;
    for (uint32_t from = 0; wry_plan_next_span(&planned->plan, from, &span); from = span.end) {
        uint32_t length = span.end - span.start;
        planned->sectors += length / WRY_SECTOR_SIZE;
        planned->kept += length - wry_plan_covered(&planned->plan, span.start, length);
    }
}

struct wry_problem *images_lay_out(const struct images_job *job, const struct target *target)
{
    struct wry_image_set *held = *job->held;
    struct wry_fault fault;
    size_t count = make_items(job);
    struct wry_plan plan;

    if (wry_plan_init(&plan, held->items, count, target->flash_size, &fault) != WRY_OK)
        return fail_plan(held, &fault);
    *job->planned = (struct wry_planned){
        .chip = target->chip,
        .flash_size = target->flash_size,
        .layout = target->layout,
        .moved = held->moved ? (struct wry_moved_region *)(void *)held->moved->data : NULL,
        .moved_count = held->moved ? held->moved->len : 0,
        .image_count = held->count,
        .images = held->facts,
        .plan = plan,
        .every_sector = job->options->every_sector,
        .dry_run = job->options->dry_run};
    images_count_sectors(job->planned);
    return NULL;
}

void images_record(struct wry_station *station, const struct wry_image_set *held)
{
    g_autoptr(GArray) contents = g_array_new(FALSE, FALSE, sizeof(struct run_content));
    g_autoptr(GByteArray) digests = g_byte_array_new();
    bool recorded = run_record_run(station) != NULL;

    g_byte_array_set_size(digests, (guint)(held->count * WRY_SHA256_SIZE));
    for (size_t i = 0; i < held->count; i++) {
        const struct image *image = held->images[i];
        uint8_t *sha256 = digests->data + i * WRY_SHA256_SIZE;
        /* The digest of a settings block would reveal a short secret. */
        bool shown =
            recorded && image->facts.what != WRY_WHAT_SETTINGS && image_digest(image->file, sha256);
        struct run_content content = {.facts = &image->facts, .sha256 = shown ? sha256 : NULL};
        g_array_append_val(contents, content);
        known_content_note_file(station, image->file, image->facts.start);
    }
    run_record_contents(station, (const struct run_content *)(void *)contents->data, contents->len);
}

void images_free(struct wry_image_set *held)
{
    if (!held)
        return;
    for (size_t i = 0; i < held->count; i++)
        image_close(held->images[i]);
    g_free(held->images);
    g_free(held->facts);
    g_free(held->items);
    g_free(held->pieces);
    if (held->moved)
        g_array_unref(held->moved);
    archive_close(held->archive);
    g_free(held);
}
