/* plan: what write would do, checked, touching nothing. */
#include "jobs/plan/estimate.h"
#include "jobs/plan/plan_build.h"
#include "jobs/station/board.h"

static enum wry_outcome find_target(struct wry_station *station,
                                    const struct wry_images_wanted *wanted, struct target *target)
{
    enum wry_outcome outcome;

    if (wanted->chip) {
        *target = (struct target){.chip = wanted->chip, .flash_size = wanted->flash_size};
        return regions_of_target(station, target);
    }
    outcome = board_connect(station, false);
    return outcome == WRY_OUTCOME_DONE ? regions_of_board(station, target) : outcome;
}

enum wry_outcome wry_station_plan(struct wry_station *station,
                                  const struct wry_images_wanted *wanted,
                                  struct wry_plan_result *result)
{
    struct images_job job = {.station = station,
                             .wanted = wanted,
                             .use = IMAGE_WRITE,
                             .held = &result->held,
                             .planned = &result->planned};
    struct target target;

    station_begin(station);
    enum wry_outcome outcome = images_open(&job);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = find_target(station, wanted, &target);
    if (outcome == WRY_OUTCOME_DONE)
        outcome = planning_do(&job, &target);
    if (outcome == WRY_OUTCOME_DONE && !wanted->chip)
        outcome = expecting_look(station, &result->planned.plan, false, &result->expected);
    return outcome;
}

void wry_plan_result_clear(struct wry_plan_result *result)
{
    images_free(result->held);
    expecting_clear(&result->expected);
    *result = (struct wry_plan_result){0};
}
