/* Erases parts of the flash and keeps everything else. */
#include "base/sized.h"
#include "jobs/plan/backup_records.h"
#include "jobs/plan/image_set.h"
#include "jobs/plan/settings_loss.h"
#include "jobs/station/run_record.h"
#include "jobs/station/station_board.h"
#include "jobs/station/write_common.h"

static struct wry_problem *parse_parts(const struct target *target, const char *const *parts,
                                       GArray *items)
{
    for (const char *const *text = parts; *text; text++) {
        struct wry_placement item = {.reader = wry_reader_blank(), .label = *text};
        struct wry_problem *problem = regions_parse_part(target, *text, &item.offset, &item.length);
        if (problem)
            return problem;
        g_array_append_val(items, item);
    }
    return NULL;
}

static struct wry_problem *plan_parts(const struct target *target, GArray *items,
                                      struct wry_planned *planned)
{
    struct wry_fault fault;
    enum wry_status status =
        wry_plan_init(&planned->plan, (struct wry_placement *)(void *)items->data, items->len,
                      target->flash_size, &fault);

    if (status != WRY_OK) {
        bool share = status == WRY_OVERLAP;
        return PROBLEM(share ? WRY_OUTCOME_USAGE : WRY_OUTCOME_WRONG,
                       share ? WRY_PROBLEM_PARTS_SHARE : WRY_PROBLEM_PART_UNFIT, NULL,
                       .start = fault.offset, .last = (uint64_t)fault.offset + fault.length - 1);
    }
    planned->chip = target->chip;
    planned->flash_size = target->flash_size;
    planned->layout = target->layout;
    images_count_sectors(planned);
    return NULL;
}

static struct wry_problem *erase(struct wry_station *station,
                                 const struct wry_erase_options *options,
                                 struct wry_erase_result *result)
{
    g_autoptr(GArray) items = g_array_new(FALSE, FALSE, sizeof(struct wry_placement));
    struct wry_planned planned = {.every_sector = options->every_sector,
                                  .dry_run = options->dry_run};
    struct target target;
    struct write_common work;

    write_common_begin(&work, station);
    struct wry_problem *problem = board_connect(station, !options->dry_run);
    if (!problem)
        problem = regions_of_board(station, &target);
    if (!problem)
        problem = parse_parts(&target, options->parts, items);
    if (!problem)
        problem = plan_parts(&target, items, &planned);
    if (problem)
        return problem;
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_PLANNED, .planned = &planned});
    if (options->dry_run)
        return NULL;
    if (!options->without_backup && wry_plan_total(&planned.plan) == target.flash_size)
        problem = backup_records_require(station);
    if (!problem && !options->without_backup)
        problem = settings_loss_check(station, &planned.plan, &target.layout);
    if (problem)
        return problem;
    problem = write_common_write(&work, WRY_PHASE_ERASE, &planned, &result->done);
    result->erased = !problem;
    run_record_bytes(station, result->done.bytes);
    return problem;
}

enum wry_outcome wry_station_erase_of(struct wry_station *station,
                                      const struct wry_erase_options *given, size_t size,
                                      struct wry_erase_result *result)
{
    const struct wry_erase_options *options = SIZED(struct wry_erase_options, given, size);
    station_begin_call(station);
    if (options->dry_run)
        return station_end_call(station, erase(station, options, result));
    run_record_begin(station, "erase");
    return station_end_call(station, run_record_end(station, erase(station, options, result)));
}

void wry_erase_result_clear(struct wry_erase_result *result)
{
    *result = (struct wry_erase_result){0};
}
