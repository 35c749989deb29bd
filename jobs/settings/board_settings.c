/* Settings of a board: read, saved, changed. */
#include "base/sized.h"
#include "jobs/flash/write.h"
#include "jobs/plan/described.h"
#include "jobs/plan/plan_build.h"
#include "jobs/plan/settings_edit.h"
#include "jobs/settings/settings_lines.h"
#include "jobs/station/run_record.h"
#include "jobs/station/station_board.h"
#include "jobs/station/write_common.h"
#include "store/image/settings_file.h"

static struct wry_problem *none_found(const struct wry_region *damaged, const char *name)
{
    if (damaged->name[0] != '\0')
        return PROBLEM(WRY_OUTCOME_WRONG, WRY_PROBLEM_NO_SETTINGS, NULL, .region = *damaged,
                       .found = 1);
    return problem_new(WRY_OUTCOME_WRONG, WRY_PROBLEM_NO_BLOCKS, name);
}

/* A settings file has one block. */
static struct wry_problem *save(const GPtrArray *found, const struct wry_settings_options *options)
{
    const struct settings_found *first = g_ptr_array_index(found, 0);
    GError *error = NULL;

    if (found->len > 1) {
        struct wry_problem *problem = problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_MANY_BLOCKS, NULL);
        problem->names = g_new0(char *, found->len + 1);
        for (guint i = 0; i < found->len; i++) {
            const struct settings_found *one = g_ptr_array_index(found, i);
            problem->names[i] = g_strdup(one->region.name);
        }
        return problem;
    }
    return settings_save(first->settings, options->save, options->with_secrets, options->replace,
                         &error)
               ? NULL
               : problem_of_error(error);
}

static struct wry_problem *read_all(struct wry_station *station,
                                    const struct wry_settings_options *options,
                                    struct wry_settings_result *result)
{
    struct flash_reader reader = {.station = station};
    const struct settings_description *description = NULL;
    const struct wry_region *named;
    struct wry_region damaged;
    struct target target;
    struct wry_problem *problem = board_connect(station, false);

    if (!problem)
        problem = regions_of_board(station, &target);
    if (!problem)
        problem = described_load(station, &target, NULL, &description);
    if (!problem && options->region)
        problem = regions_find(&target, options->region, &named);
    if (problem)
        return problem;
    g_autoptr(GPtrArray) found =
        settings_lines_find(&reader, &target.layout.table, options->region, &damaged);
    if (!found)
        return flash_reader_fail(&reader);
    if (found->len == 0)
        return none_found(&damaged, options->region);
    for (guint i = 0; i < found->len; i++) {
        const struct settings_found *one = g_ptr_array_index(found, i);
        settings_lines_add(result, &one->region, one->generation, one->settings, one->settings,
                           description);
    }
    return options->save ? save(found, options) : NULL;
}

enum wry_outcome wry_station_read_settings_of(struct wry_station *station,
                                              const struct wry_settings_options *given, size_t size,
                                              struct wry_settings_result *result)
{
    const struct wry_settings_options *options = SIZED(struct wry_settings_options, given, size);

    station_begin_call(station);
    return station_end_call(station, read_all(station, options, result));
}

static void show_edited(const struct wry_station *station, const GPtrArray *edited,
                        struct wry_settings_result *result)
{
    for (guint i = 0; i < edited->len; i++) {
        const struct settings_edited *one = g_ptr_array_index(edited, i);
        settings_lines_add(result, &one->region, one->generation, one->before, one->after,
                           station->description);
    }
}

static struct wry_problem *change(struct wry_station *station,
                                  const struct wry_settings_options *options,
                                  struct wry_settings_result *result)
{
    struct wry_images_options images = {.without_backup = options->without_backup,
                                        .dry_run = options->dry_run};
    struct wry_write_result written = {0};
    g_autoptr(GPtrArray) edited = settings_edited_new();
    struct images_job job = {.station = station,
                             .options = &images,
                             .edit = options,
                             .edited = edited,
                             .use = IMAGE_WRITE,
                             .recovers = !options->dry_run,
                             .held = &written.held,
                             .planned = &written.planned};
    struct write_common work;

    write_common_begin(&work, station);
    struct wry_problem *problem = plan_build_for_board(&job);
    if (!problem) {
        show_edited(station, edited, result);
        problem = write_planned(&job, &work, &written);
    }
    result->done = written.done;
    wry_write_result_clear(&written);
    return problem;
}

enum wry_outcome wry_station_change_settings_of(struct wry_station *station,
                                                const struct wry_settings_options *given,
                                                size_t size, struct wry_settings_result *result)
{
    const struct wry_settings_options *options = SIZED(struct wry_settings_options, given, size);

    station_begin_call(station);
    if (options->dry_run)
        return station_end_call(station, change(station, options, result));
    run_record_begin(station, "settings");
    return station_end_call(station, run_record_end(station, change(station, options, result)));
}
