/* erase: all of the flash, regions or ranges; everything else stays. */
#include "jobs/plan/backup_records.h"
#include "jobs/plan/image_set.h"
#include "jobs/plan/settings_loss.h"
#include "jobs/station/run_record.h"
#include "jobs/station/station_board.h"
#include "jobs/station/write_common.h"

static enum wry_outcome parse_parts(struct wry_station *station, const struct target *target,
                                    const char *const *parts, GArray *items)
{
    for (const char *const *text = parts; *text; text++) {
        struct wry_placement item = {.reader = wry_reader_blank(), .label = *text};
        enum wry_outcome outcome =
            regions_parse_part(station, target, *text, &item.offset, &item.length);
        if (outcome != WRY_OUTCOME_DONE)
            return outcome;
        g_array_append_val(items, item);
    }
    return WRY_OUTCOME_DONE;
}

static enum wry_outcome plan_parts(struct wry_station *station, const struct target *target,
                                   GArray *items, struct wry_planned *planned)
{
    struct wry_fault fault;
    enum wry_status status =
        wry_plan_init(&planned->plan, (struct wry_placement *)(void *)items->data, items->len,
                      target->flash_size, &fault);

    if (status != WRY_OK) {
        bool share = status == WRY_OVERLAP;
        station_fail(station, share ? WRY_OUTCOME_USAGE : WRY_OUTCOME_WRONG,
                     share ? WRY_PROBLEM_PARTS_SHARE : WRY_PROBLEM_PART_UNFIT, NULL);
        station->problem.start = fault.offset;
        station->problem.last = (uint64_t)fault.offset + fault.length - 1;
        return station->problem.outcome;
    }
    planned->chip = target->chip;
    planned->flash_size = target->flash_size;
    planned->layout = target->layout;
    images_count_sectors(planned);
    return WRY_OUTCOME_DONE;
}

static enum wry_outcome erase(struct wry_station *station, const struct wry_erase_options *options,
                              struct wry_erase_result *result)
{
    g_autoptr(GArray) items = g_array_new(FALSE, FALSE, sizeof(struct wry_placement));
    struct wry_planned planned = {.every_sector = options->every_sector,
                                  .dry_run = options->dry_run};
    struct target target;
    struct write_common work;

    write_common_begin(&work, station);
    enum wry_outcome outcome = board_connect(station, !options->dry_run);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = regions_of_board(station, &target);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = parse_parts(station, &target, options->parts, items);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = plan_parts(station, &target, items, &planned);
    if (outcome != WRY_OUTCOME_DONE)
        return outcome;
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_PLANNED, .planned = &planned});
    if (options->dry_run)
        return WRY_OUTCOME_DONE;
    if (!options->without_backup && wry_plan_total(&planned.plan) == target.flash_size)
        outcome = backup_records_require(station);
    if (outcome == WRY_OUTCOME_DONE && !options->without_backup)
        outcome = settings_loss_check(station, &planned.plan, &target.layout);
    if (outcome != WRY_OUTCOME_DONE)
        return outcome;
    outcome = write_common_write(&work, WRY_PHASE_ERASE, &planned, &result->done);
    result->erased = outcome == WRY_OUTCOME_DONE;
    run_record_bytes(station, result->done.bytes);
    return outcome;
}

enum wry_outcome wry_station_erase(struct wry_station *station,
                                   const struct wry_erase_options *options,
                                   struct wry_erase_result *result)
{
    station_begin(station);
    if (options->dry_run)
        return erase(station, options, result);
    run_record_begin(station, "erase");
    return run_record_end(station, erase(station, options, result));
}
