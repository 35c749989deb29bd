/* Verify: compares images or an archive with the flash. */
#include <string.h>

#include "base/sized.h"
#include "jobs/flash/archives.h"
#include "jobs/plan/plan_build.h"
#include "jobs/station/station_board.h"
#include "wrytograph/boot_header.h"
#include "wrytograph/layout.h"

struct verify {
    struct wry_station *station;
    struct wry_verify_result *result;
    bool by_digest;
    uint32_t first; /* offset of the first difference */
};

static void note_difference(void *context, uint32_t offset, uint32_t length, uint8_t expected,
                            uint8_t found)
{
    struct wry_difference difference = {
        .offset = offset, .length = length, .expected = expected, .found = found};

    g_array_append_val((GArray *)context, difference);
}

static int by_offset(const void *a, const void *b)
{
    const struct wry_difference *x = a, *y = b;

    return x->offset < y->offset ? -1 : x->offset > y->offset;
}

static void free_comparison(void *item)
{
    struct wry_comparison *comparison = item;

    g_array_free(comparison->differences, TRUE);
    g_free(comparison);
}

struct header_bytes {
    uint32_t start;
    uint8_t bytes[WRY_BOOT_HEADER_SIZE];
};

static bool keep_header(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct header_bytes *header = context;
    uint32_t at = offset - header->start;

    if (at < sizeof header->bytes)
        memcpy(header->bytes + at, bytes, MIN(n, sizeof header->bytes - at));
    return true;
}

/* Which program is on the board instead. */
static enum wry_status read_versions(const struct verify *v, struct wry_comparison *c,
                                     const struct wry_planned_image *image)
{
    struct header_bytes bytes = {.start = c->offset};
    struct wry_writer writer = {.context = &bytes, .write = keep_header};
    struct wry_boot_header header;

    if (!image || !image->has_header || image->start != c->offset || c->differences->len == 0)
        return WRY_OK;
    g_strlcpy(c->file_version, image->header.version, sizeof c->file_version);
    enum wry_status status =
        wry_session_read(&v->station->session, c->offset, sizeof bytes.bytes, &writer);
    if (status == WRY_OK && wry_boot_header_get(&header, bytes.bytes))
        g_strlcpy(c->flash_version, header.version, sizeof c->flash_version);
    return status;
}

/* Compares one range, reports it and adds it to the result. image: NULL for archives. */
static enum wry_status compare(struct verify *v, const struct wry_placement *item,
                               const struct wry_planned_image *image, struct wry_comparison facts)
{
    struct wry_comparison *c = g_new(struct wry_comparison, 1);
    enum wry_verify_method method = v->by_digest ? WRY_VERIFY_DIGEST : WRY_VERIFY_READ_BACK;

    *c = facts;
    c->offset = item->offset;
    c->length = item->length;
    c->by_digest = v->by_digest;
    c->differences = g_array_new(FALSE, FALSE, sizeof(struct wry_difference));
    struct wry_difference_sink sink = {.context = c->differences, .difference = note_difference};
    enum wry_status status = wry_session_verify(&v->station->session, item, method, &sink);
    if (status == WRY_OK || status == WRY_DIFFERS)
        status = read_versions(v, c, image);
    if (status != WRY_OK) {
        free_comparison(c);
        return status;
    }
    g_array_sort(c->differences, by_offset);
    if (c->differences->len > 0) {
        uint32_t first = g_array_index(c->differences, struct wry_difference, 0).offset;
        v->first = v->result->same || first < v->first ? first : v->first;
        v->result->same = false;
    }
    g_ptr_array_add(v->result->comparisons, c);
    station_tell(v->station, (struct wry_event){.kind = WRY_EVENT_COMPARED, .comparison = c});
    return WRY_OK;
}

static void begin(struct verify *v, const struct wry_layout *layout, uint32_t flash_size)
{
    v->result->layout = *layout;
    v->result->flash_size = flash_size;
    v->result->comparisons = g_ptr_array_new_with_free_func(free_comparison);
    v->result->same = true;
}

static struct wry_problem *conclude(const struct verify *v, enum wry_status status,
                                    enum wry_problem_kind kind, size_t count)
{
    if (status != WRY_OK)
        return problem_of_session(v->station, status);
    if (v->result->same)
        return NULL;
    return PROBLEM(WRY_OUTCOME_DIFFERS, kind, NULL, .start = v->first, .found = count);
}

enum wry_outcome wry_station_verify_of(struct wry_station *station,
                                       const struct wry_images_options *given, size_t size,
                                       struct wry_verify_result *result)
{
    const struct wry_images_options *options = SIZED(struct wry_images_options, given, size);
    struct verify v = {.station = station, .result = result, .by_digest = !options->read_back};
    struct wry_planned planned = {0};
    struct images_job job = {.station = station,
                             .options = options,
                             .use = IMAGE_COMPARE,
                             .held = &result->held,
                             .planned = &planned};
    enum wry_status status = WRY_OK;

    station_begin_call(station);
    struct wry_problem *problem = plan_build_for_board(&job);
    if (problem)
        return station_end_call(station, problem);
    begin(&v, &planned.layout, planned.flash_size);
    for (size_t i = 0; i < planned.plan.count && status == WRY_OK; i++) {
        const struct wry_placement *item = &planned.plan.placements[i];
        const struct wry_planned_image *image = item->label;
        bool behind = image->rest_length > 0 && image->rest_offset == item->offset;
        status = compare(&v, item, behind ? NULL : image,
                         (struct wry_comparison){.name = behind ? "blank after it" : image->name,
                                                 .base = behind ? item->offset : image->base});
    }
    return station_end_call(station,
                            conclude(&v, status, WRY_PROBLEM_IMAGES_DIFFER, options->image_count));
}

static enum wry_status compare_archive(struct verify *v, struct archive *archive)
{
    enum wry_status status = WRY_OK;

    for (guint i = 0; i < archive->ranges->len && status == WRY_OK; i++) {
        struct archive_range *range = &g_array_index(archive->ranges, struct archive_range, i);
        struct wry_placement item = archives_placement(range);
        const struct wry_region *region = wry_layout_at(&v->result->layout.table, range->offset);
        bool whole = range->length == archive->flash_size;
        status = compare(v, &item, NULL,
                         (struct wry_comparison){.name = whole    ? "whole flash"
                                                         : region ? region->name
                                                                  : "range",
                                                 .of_archive = true});
    }
    return status;
}

enum wry_outcome wry_station_verify_archive(struct wry_station *station, const char *file,
                                            bool read_back, struct wry_verify_result *result)
{
    struct verify v = {.station = station, .result = result, .by_digest = !read_back};
    struct target target;
    GError *error = NULL;

    station_begin_call(station);
    result->held = g_new0(struct wry_image_set, 1);
    struct archive *archive = result->held->archive = archive_open(file, &error);
    if (!archive)
        return station_end_call(station, problem_of_error(error));
    struct wry_problem *problem = board_connect(station, false);
    if (!problem)
        problem = regions_of_board(station, &target);
    if (!problem)
        problem = archives_check_flash(station, archive, file);
    if (problem)
        return station_end_call(station, problem);
    archives_tell_other_board(station, archive);
    begin(&v, &target.layout, target.flash_size);
    enum wry_status status = compare_archive(&v, archive);
    return station_end_call(station, conclude(&v, status, WRY_PROBLEM_ARCHIVE_DIFFERS, 1));
}

void wry_verify_result_clear(struct wry_verify_result *result)
{
    if (result->comparisons)
        g_ptr_array_unref(result->comparisons);
    images_free(result->held);
    *result = (struct wry_verify_result){0};
}
