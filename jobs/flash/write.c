/* Write: places images in the flash, verified by the board's digest. */
#include "jobs/flash/write.h"

#include "base/sized.h"
#include "jobs/plan/estimate.h"
#include "jobs/plan/settings_loss.h"
#include "jobs/station/recovery.h"
#include "jobs/station/run_record.h"
#include "jobs/station/write_common.h"

/* Files are read piece by piece during the write: checks that they have not changed. */
static struct wry_problem *check_unchanged(const struct wry_image_set *held)
{
    for (size_t i = 0; i < held->count; i++) {
        if (image_file_changed(held->images[i]->file))
            return problem_new(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_FILE_CHANGED,
                               held->images[i]->facts.path);
    }
    return NULL;
}

/* Checks for settings that would be lost, at their current and their new place. */
static struct wry_problem *check_losses(struct wry_station *station, const struct images_job *job)
{
    const struct wry_plan *plan = &job->planned->plan;
    struct wry_problem *problem = settings_loss_check(station, plan, &job->planned->layout);
    struct target now;

    if (problem || job->planned->layout.source != WRY_LAYOUT_SOURCE_JOB)
        return problem;
    problem = regions_of_board(station, &now);
    return problem ? problem : settings_loss_check(station, plan, &now.layout);
}

struct wry_problem *write_planned(const struct images_job *job, const struct write_common *work,
                                  struct wry_write_result *result)
{
    struct wry_station *station = job->station;
    const struct wry_images_options *options = job->options;
    struct wry_planned *planned = &result->planned;

    station_tell(station, (struct wry_event){.kind = WRY_EVENT_PLANNED, .planned = planned});
    struct wry_problem *problem =
        recovery_look_beside(station, &planned->layout.table, &planned->plan);
    result->done = write_common_done(work);
    if (!problem && options->dry_run)
        problem = estimate_look(station, &planned->plan, options->every_sector, &result->expected);
    if (!problem && !options->without_backup)
        problem = check_losses(station, job);
    if (problem || options->dry_run)
        return problem;
    /* Recorded before the first erase, so that a later run recognises an interrupted write. */
    images_record(station, result->held);
    result->tried = true;
    problem = write_common_write(work, WRY_PHASE_WRITE, planned, &result->done);
    result->written = !problem;
    run_record_bytes(station, result->done.bytes);
    return problem ? problem : check_unchanged(result->held);
}

static struct wry_problem *write_images(struct wry_station *station,
                                        const struct wry_images_options *options,
                                        struct wry_write_result *result)
{
    struct images_job job = {.station = station,
                             .options = options,
                             .use = IMAGE_WRITE,
                             .recovers = !options->dry_run,
                             .held = &result->held,
                             .planned = &result->planned};
    struct write_common work;

    write_common_begin(&work, station);
    struct wry_problem *problem = plan_build_for_board(&job);
    return problem ? problem : write_planned(&job, &work, result);
}

enum wry_outcome wry_station_write_of(struct wry_station *station,
                                      const struct wry_images_options *given, size_t size,
                                      struct wry_write_result *result)
{
    const struct wry_images_options *options = SIZED(struct wry_images_options, given, size);
    station_begin_call(station);
    if (options->dry_run)
        return station_end_call(station, write_images(station, options, result));
    run_record_begin(station, "write");
    return station_end_call(station,
                            run_record_end(station, write_images(station, options, result)));
}

void wry_write_result_clear(struct wry_write_result *result)
{
    images_free(result->held);
    estimate_clear(&result->expected);
    *result = (struct wry_write_result){0};
}
