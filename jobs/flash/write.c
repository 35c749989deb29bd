/* write: images at their places, checked by the board's own digest. */
#include "jobs/plan/estimate.h"
#include "jobs/plan/plan_build.h"
#include "jobs/plan/settings_loss.h"
#include "jobs/station/known_content.h"
#include "jobs/station/recovery.h"
#include "jobs/station/run_record.h"
#include "jobs/station/write_common.h"

/* What was written came from the files piece by piece: they must still be what they were. */
static enum wry_outcome check_unchanged(struct wry_station *station, const struct wry_held *held)
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

    if (outcome != WRY_OUTCOME_DONE || job->planned->layout.source != WRY_LAYOUT_FROM_JOB)
        return outcome;
    outcome = regions_of_board(station, &now);
    return outcome == WRY_OUTCOME_DONE ? settings_loss_check(station, plan, &now.layout) : outcome;
}

static enum wry_outcome write_images(struct wry_station *station,
                                     const struct wry_images_wanted *wanted,
                                     struct wry_write_result *result)
{
    struct wry_planned *planned = &result->planned;
    struct images_job job = {.station = station,
                             .wanted = wanted,
                             .use = IMAGE_WRITE,
                             .settles = !wanted->dry_run,
                             .held = &result->held,
                             .planned = planned};
    struct work work;

    work_begin(&work, station);
    enum wry_outcome outcome = planning_for_board(&job);
    if (outcome != WRY_OUTCOME_DONE)
        return outcome;
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_PLANNED, .planned = planned});
    outcome = keeping_look_beside(station, &planned->layout.table, &planned->plan);
    result->done = work_done(&work);
    if (outcome == WRY_OUTCOME_DONE && wanted->dry_run)
        outcome = expecting_look(station, &planned->plan, wanted->every_sector, &result->expected);
    if (outcome == WRY_OUTCOME_DONE && !wanted->without_backup)
        outcome = check_losses(station, &job);
    if (outcome != WRY_OUTCOME_DONE || wanted->dry_run)
        return outcome;
    /* Before, so that what a cut leaves of them is recognised. */
    images_record(station, result->held);
    result->tried = true;
    outcome = work_write(&work, WRY_JOB_WRITE, planned, &result->done);
    result->written = outcome == WRY_OUTCOME_DONE;
    recording_bytes(station, result->done.bytes);
    return outcome == WRY_OUTCOME_DONE ? check_unchanged(station, result->held) : outcome;
}

enum wry_outcome wry_station_write(struct wry_station *station,
                                   const struct wry_images_wanted *wanted,
                                   struct wry_write_result *result)
{
    station_begin(station);
    if (wanted->dry_run)
        return write_images(station, wanted, result);
    recording_begin(station, "write");
    return recording_end(station, write_images(station, wanted, result));
}

void wry_write_result_clear(struct wry_write_result *result)
{
    images_free(result->held);
    expecting_clear(&result->expected);
    *result = (struct wry_write_result){0};
}
