/*
 * Restore: puts an archive back on its board.
 *
 * Chip, flash size and address are checked before anything is changed. A plain binary names no
 * board, but its calibration may identify one.
 */
#include <string.h>

#include "base/sized.h"
#include "jobs/flash/archives.h"
#include "jobs/flash/replaced.h"
#include "jobs/plan/backup_records.h"
#include "jobs/station/known_content.h"
#include "jobs/station/regions.h"
#include "jobs/station/run_record.h"
#include "jobs/station/station_board.h"
#include "jobs/station/write_common.h"
#include "store/image/image_file.h"
#include "wrytograph/layout.h"

struct restore {
    struct wry_station *station;
    const struct wry_restore_options *options;
    struct archive *archive; /* or an archive */
    struct image_file *plain;
    GArray *items; /* struct wry_placement */
    GArray *parts; /* struct archive_range: those to restore */
    struct wry_planned planned;
};

static bool read_plain(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    return image_file_read(context, offset, to, n);
}

static struct wry_problem *open_source(struct restore *r)
{
    const enum wry_image_format raw = WRY_IMAGE_RAW;
    const char *path = r->options->file;
    GError *error = NULL;

    if (archive_is_one(path))
        r->archive = archive_open(path, &error);
    else
        r->plain = image_file_open(path, &raw, &error);
    return r->archive || r->plain ? NULL : problem_of_error(error);
}

static struct wry_problem *check_archive(struct restore *r)
{
    struct wry_problem *problem = archives_check_flash(r->station, r->archive, r->options->file);

    if (problem || archives_same_board(r->station, r->archive))
        return problem;
    if (!r->options->from_another_board)
        return archives_fail_board(r->station, WRY_PROBLEM_ARCHIVE_BOARD, r->archive,
                                   r->options->file);
    archives_tell_other_board(r->station, r->archive);
    return NULL;
}

/* A plain binary does not name its board; its calibration may identify one. */
static struct wry_problem *fail_plain(struct restore *r)
{
    struct settings_owner owner;
    struct target target;
    struct wry_problem *problem = regions_of_board(r->station, &target);

    if (problem)
        return problem;
    if (!backup_records_find_owner(r->station, r->plain, 0, false, &target.layout.table, &owner))
        return problem_new(WRY_OUTCOME_WRONG, WRY_PROBLEM_UNKNOWN_ORIGIN, r->options->file);
    problem = problem_new(WRY_OUTCOME_WRONG, WRY_PROBLEM_ARCHIVE_BOARD, r->options->file);
    memcpy(problem->address, owner.eui48, sizeof problem->address);
    memcpy(problem->found_address, wry_session_board(&r->station->session)->eui48,
           sizeof problem->found_address);
    return problem;
}

static struct wry_problem *check_plain(struct restore *r)
{
    uint32_t capacity = wry_session_board(&r->station->session)->capacity;

    if (!r->options->from_another_board)
        return fail_plain(r);
    if (r->plain->length == capacity)
        return NULL;
    return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_PLAIN_LENGTH, r->options->file,
                   .expected = capacity, .found = r->plain->length);
}

/* A named part is at its place of the time of the backup. */
static struct wry_problem *fail_part(struct restore *r, enum wry_problem_kind kind,
                                     const char *text)
{
    return PROBLEM(WRY_OUTCOME_WRONG, kind, r->options->file, .other = g_strdup(text));
}

/* Its region must still be at the same place: content for another place would do harm. */
static struct wry_problem *check_unmoved(struct restore *r, const char *name, uint32_t offset)
{
    struct target now;
    struct wry_problem *problem = regions_of_board(r->station, &now);
    const struct wry_region *region = !problem ? wry_layout_find(&now.layout.table, name) : NULL;

    if (!region || region->offset == offset || now.layout.source == WRY_LAYOUT_SOURCE_USUAL)
        return problem;
    problem = fail_part(r, WRY_PROBLEM_ARCHIVE_MOVED, name);
    problem->region = *region;
    problem->start = offset;
    return problem;
}

static struct wry_problem *choose_part(struct restore *r, const struct target *then,
                                       const char *text)
{
    struct archive_range part = {.archive = r->archive};
    struct wry_problem *problem = regions_parse_part(then, text, &part.offset, &part.length);

    if (!problem && wry_layout_find(&then->layout.table, text))
        problem = check_unmoved(r, text, part.offset);
    for (guint i = 0; !problem && i < r->archive->ranges->len; i++) {
        const struct archive_range *range =
            &g_array_index(r->archive->ranges, struct archive_range, i);
        if (part.offset < range->offset || part.offset - range->offset >= range->length ||
            part.length > range->length - (part.offset - range->offset))
            continue;
        g_array_append_val(r->parts, part);
        return NULL;
    }
    return problem ? problem : fail_part(r, WRY_PROBLEM_ARCHIVE_PART, text);
}

static struct wry_problem *choose_parts(struct restore *r)
{
    struct wry_problem *problem = NULL;

    if (r->options->parts && r->plain)
        return problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_PLAIN_PARTS, NULL);
    if (!r->archive)
        return problem;
    struct target then = {.flash_size = r->archive->flash_size,
                          .layout = {.table = r->archive->layout}};
    for (const char *const *text = r->options->parts; text && *text && !problem; text++)
        problem = choose_part(r, &then, *text);
    if (!r->options->parts)
        g_array_append_vals(r->parts, r->archive->ranges->data, r->archive->ranges->len);
    return problem;
}

/* If the archive is a backup of this board, one is known. */
static struct wry_problem *check_backup(struct restore *r)
{
    if (r->options->without_backup || r->options->dry_run ||
        (r->archive && archives_same_board(r->station, r->archive)))
        return NULL;
    return backup_records_require(r->station);
}

static struct wry_problem *make_plan(struct restore *r)
{
    uint32_t capacity = wry_session_board(&r->station->session)->capacity;
    struct wry_fault fault;

    for (guint i = 0; i < r->parts->len; i++) {
        struct wry_placement item =
            archives_placement(&g_array_index(r->parts, struct archive_range, i));
        g_array_append_val(r->items, item);
    }
    if (r->plain) {
        struct wry_placement item = {.length = (uint32_t)r->plain->length,
                                     .reader = {.context = r->plain, .read = read_plain}};
        g_array_append_val(r->items, item);
    }
    if (wry_plan_init(&r->planned.plan, (struct wry_placement *)(void *)r->items->data,
                      r->items->len, capacity, &fault) != WRY_OK)
        return PROBLEM(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_ARCHIVE_RANGE, r->options->file,
                       .start = fault.offset);
    r->planned.flash_size = capacity;
    r->planned.archive = r->options->file;
    r->planned.created = r->archive ? r->archive->created : NULL;
    r->planned.tool = r->archive ? r->archive->tool : NULL;
    return NULL;
}

static struct wry_problem *prepare(struct restore *r)
{
    struct wry_problem *problem = open_source(r);

    if (!problem)
        problem = board_connect(r->station, !r->options->dry_run);
    if (!problem)
        problem = r->plain ? check_plain(r) : check_archive(r);
    if (!problem)
        problem = choose_parts(r);
    if (!problem)
        problem = check_backup(r);
    return problem ? problem : make_plan(r);
}

static struct wry_problem *restore(struct wry_station *station,
                                   const struct wry_restore_options *options,
                                   struct wry_restore_result *result)
{
    struct restore r = {
        .station = station,
        .options = options,
        .items = g_array_new(FALSE, FALSE, sizeof(struct wry_placement)),
        .parts = g_array_new(FALSE, FALSE, sizeof(struct archive_range)),
        .planned = {.every_sector = options->every_sector, .dry_run = options->dry_run}};
    struct write_common work;

    write_common_begin(&work, station);
    struct wry_problem *problem = prepare(&r);
    if (!problem)
        station_tell(station, (struct wry_event){.kind = WRY_EVENT_PLANNED, .planned = &r.planned});
    g_autofree char *replaced =
        !problem && r.archive ? replaced_list(station, r.archive, r.parts) : NULL;
    if (replaced)
        station_note(station, WRY_NOTE_REPLACES, replaced);
    if (!problem && !options->dry_run) {
        problem = write_common_write(&work, WRY_PHASE_RESTORE, &r.planned, &result->done);
        result->restored = !problem;
        run_record_archive(station, options->file);
        run_record_bytes(station, result->done.bytes);
        if (result->restored && r.archive)
            known_content_note_archive(station, options->file, r.archive);
    }
    g_array_free(r.items, TRUE);
    g_array_free(r.parts, TRUE);
    archive_close(r.archive);
    image_file_free(r.plain);
    return problem;
}

enum wry_outcome wry_station_restore_of(struct wry_station *station,
                                        const struct wry_restore_options *given, size_t size,
                                        struct wry_restore_result *result)
{
    const struct wry_restore_options *options = SIZED(struct wry_restore_options, given, size);
    station_begin_call(station);
    if (options->dry_run)
        return station_end_call(station, restore(station, options, result));
    run_record_begin(station, "restore");
    return station_end_call(station, run_record_end(station, restore(station, options, result)));
}

void wry_restore_result_clear(struct wry_restore_result *result)
{
    *result = (struct wry_restore_result){0};
}
