/* Plan: checks and estimates a write without changing anything. */
#include "base/sized.h"
#include "jobs/plan/estimate.h"
#include "jobs/plan/plan_build.h"
#include "jobs/station/station_board.h"

static struct wry_problem *find_target(struct wry_station *station,
                                       const struct wry_images_options *options,
                                       struct target *target)
{
    struct wry_problem *problem;

    if (options->chip) {
        *target = (struct target){.chip = options->chip,
                                  .chip_code = options->chip->code,
                                  .flash_size = options->flash_size};
        return regions_of_target(station, target);
    }
    problem = board_connect(station, false);
    return problem ? problem : regions_of_board(station, target);
}

enum wry_outcome wry_station_plan_of(struct wry_station *station,
                                     const struct wry_images_options *given, size_t size,
                                     struct wry_plan_result *result)
{
    const struct wry_images_options *options = SIZED(struct wry_images_options, given, size);
    struct images_job job = {.station = station,
                             .options = options,
                             .use = IMAGE_WRITE,
                             .held = &result->held,
                             .planned = &result->planned};
    struct target target;

    station_begin_call(station);
    struct wry_problem *problem = images_open(&job);
    if (!problem)
        problem = find_target(station, options, &target);
    if (!problem)
        problem = plan_build(&job, &target);
    if (!problem && !options->chip)
        problem = estimate_look(station, &result->planned.plan, false, &result->expected);
    return station_end_call(station, problem);
}

void wry_plan_result_clear(struct wry_plan_result *result)
{
    images_free(result->held);
    estimate_clear(&result->expected);
    *result = (struct wry_plan_result){0};
}
