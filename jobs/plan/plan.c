/* plan: what write would do, checked, touching nothing. */
#include "jobs/plan/estimate.h"
#include "jobs/plan/plan_build.h"
#include "jobs/station/station_board.h"

static enum wry_outcome find_target(struct wry_station *station,
                                    const struct wry_images_options *options, struct target *target)
{
    enum wry_outcome outcome;

    if (options->chip) {
        *target = (struct target){.chip = options->chip, .flash_size = options->flash_size};
        return regions_of_target(station, target);
    }
    outcome = board_connect(station, false);
    return outcome == WRY_OUTCOME_DONE ? regions_of_board(station, target) : outcome;
}

enum wry_outcome wry_station_plan(struct wry_station *station,
                                  const struct wry_images_options *options,
                                  struct wry_plan_result *result)
{
    struct images_job job = {.station = station,
                             .options = options,
                             .use = IMAGE_WRITE,
                             .held = &result->held,
                             .planned = &result->planned};
    struct target target;

    station_begin(station);
    enum wry_outcome outcome = images_open(&job);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = find_target(station, options, &target);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = plan_build(&job, &target);
    if (outcome == WRY_OUTCOME_DONE && !options->chip)
        outcome = estimate_look(station, &result->planned.plan, false, &result->expected);
    return outcome;
}

void wry_plan_result_clear(struct wry_plan_result *result)
{
    images_free(result->held);
    estimate_clear(&result->expected);
    *result = (struct wry_plan_result){0};
}
