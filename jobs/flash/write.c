/* write: images at their places, checked by the board's own digest. */
#include "jobs/plan/estimate.h"
#include "jobs/plan/plan_build.h"
#include "jobs/plan/settings_loss.h"
#include "jobs/station/known_content.h"
#include "jobs/station/recovery.h"
#include "jobs/station/run_record.h"
#include "jobs/station/write_common.h"

/* What was written came from the files piece by piece: they must still be what they were. */
static enum wry_outcome check_unchanged(struct wry_station *station,
                                        const struct wry_image_set *held)
{
    for (size_t i = 0; i < held->count; i++) {
        if (image_file_changed(held->images[i]->file))
            return station_fail(station, WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_FILE_CHANGED,
                                held->images[i]->facts.path);
    }
    return WRY_OUTCOME_DONE;
}

/* Where settings are now, and where they would be. */
static enum wry_outcome check_losses(struct wry_station *station, const struct images_job *job)
{
    const struct wry_plan *plan = &job->planned->plan;
    enum wry_outcome outcome = settings_loss_check(station, plan, &job->planned->layout);
    struct target now;

    if (outcome != WRY_OUTCOME_DONE || job->planned->layout.source != WRY_LAYOUT_SOURCE_JOB)
        return outcome;
    outcome = regions_of_board(station, &now);
    return outcome == WRY_OUTCOME_DONE ? settings_loss_check(station, plan, &now.layout) : outcome;
}

static enum wry_outcome write_images(struct wry_station *station,
                                     const struct wry_images_options *options,
                                     struct wry_write_result *result)
{
    struct wry_planned *planned = &result->planned;
    struct images_job job = {.station = station,
                             .options = options,
                             .use = IMAGE_WRITE,
                             .settles = !options->dry_run,
                             .held = &result->held,
                             .planned = planned};
    struct write_common work;

    write_common_begin(&work, station);
    enum wry_outcome outcome = plan_build_for_board(&job);
    if (outcome != WRY_OUTCOME_DONE)
        return outcome;
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_PLANNED, .planned = planned});
    outcome = recovery_look_beside(station, &planned->layout.table, &planned->plan);
    result->done = write_common_done(&work);
    if (outcome == WRY_OUTCOME_DONE && options->dry_run)
        outcome = estimate_look(station, &planned->plan, options->every_sector, &result->expected);
    if (outcome == WRY_OUTCOME_DONE && !options->without_backup)
        outcome = check_losses(station, &job);
    if (outcome != WRY_OUTCOME_DONE || options->dry_run)
        return outcome;
    /* Before, so that what a cut leaves of them is recognised. */
    images_record(station, result->held);
    result->tried = true;
    outcome = write_common_write(&work, WRY_PHASE_WRITE, planned, &result->done);
    result->written = outcome == WRY_OUTCOME_DONE;
    run_record_bytes(station, result->done.bytes);
    return outcome == WRY_OUTCOME_DONE ? check_unchanged(station, result->held) : outcome;
}

enum wry_outcome wry_station_write(struct wry_station *station,
                                   const struct wry_images_options *options,
                                   struct wry_write_result *result)
{
    station_begin(station);
    if (options->dry_run)
        return write_images(station, options, result);
    run_record_begin(station, "write");
    return run_record_end(station, write_images(station, options, result));
}

void wry_write_result_clear(struct wry_write_result *result)
{
    images_free(result->held);
    estimate_clear(&result->expected);
    *result = (struct wry_write_result){0};
}
