/* plan: checks and draws what write would do, without doing it. */
#include "release.h"
#include "station_options.h"
#include "values.h"
#include "verbs.h"
#include "views/announce.h"
#include "views/expected.h"
#include "views/explain.h"
#include "views/flash_map.h"
#include "views/json.h"
#include "views/words.h"
#include "wrytograph-host/units.h"

struct plan_options {
    char *chip, *flash, *svg;
    gboolean replace;
};

/* Without a link, the flash is described by --chip and --flash. */
static int describe_flash(struct app *app, const struct plan_options *options,
                          struct wry_images_options *job_options)
{
    if (!options->chip || !options->flash)
        return app_fail(app, EXIT_USAGE,
                        "Give --link for a connected board, or --chip and --flash.",
                        "no board to plan for");
    int code = values_chip(app, options->chip, &job_options->chip);
    if (code != EXIT_DONE)
        return code;
    if (!wry_units_parse_size(options->flash, &job_options->flash_size) ||
        job_options->flash_size < job_options->chip->flash_min ||
        job_options->flash_size > job_options->chip->flash_max)
        return app_fail(app, EXIT_USAGE, "Write it as 4MiB, 4M, 32Mbit or 0x400000.",
                        "'%s' is not a flash size of a %s", options->flash,
                        job_options->chip->title);
    return EXIT_DONE;
}

static int choose_flash(struct app *app, const struct plan_options *options,
                        struct wry_images_options *job_options)
{
    bool described = options->chip || options->flash;

    if (described && app->link)
        return app_fail(app, EXIT_USAGE, "Give either --link, or --chip and --flash.",
                        "two boards to plan for");
    if (described || (!app->link && !g_getenv("WRYTOGRAPH_LINK")))
        return describe_flash(app, options, job_options);
    return EXIT_DONE;
}

static int draw(struct app *app, const struct wry_planned *planned,
                const struct plan_options *options)
{
    g_autofree char *size = wry_units_flash_size(planned->flash_size);
    g_autofree char *title = g_strdup_printf("%s, %s of flash; layout: %s",
                                             planned->chip ? planned->chip->title : "unknown chip",
                                             size, words_layout(&planned->layout));
    struct flash_map *map = flash_map_new(title, planned->flash_size, &planned->layout.table);
    GError *error = NULL;
    int code = EXIT_DONE;

    flash_map_add_plan(map, &planned->plan);
    flash_map_print(map, app);
    if (options->svg && !flash_map_save_svg(map, options->svg, options->replace, &error))
        code = explain_error(app, error);
    else if (options->svg)
        app_print(app, "The map is in %s.", options->svg);
    flash_map_free(map);
    return code;
}

static int show(struct app *app, const struct wry_plan_result *result,
                const struct plan_options *options)
{
    const struct wry_planned *planned = &result->planned;

    json_add_plan(app->json, planned);
    expected_add(app->json, &result->expected);
    int code = draw(app, planned, options);
    if (code != EXIT_DONE)
        return code;
    announce_notable(app, planned);
    expected_print(app, &result->expected);
    g_autofree char *bytes = wry_units_bytes(wry_plan_total(&planned->plan));
    g_autofree char *sectors = app_count(planned->sectors, "sector");
    app_outcome(app, true, "The plan is valid: %s in %s. Nothing was changed.", bytes, sectors);
    return EXIT_DONE;
}

static int run(struct app *app, void *values)
{
    const struct plan_options *options = values;
    struct wry_plan_result result = {0};
    struct wry_images_options job_options;
    struct release release = {0};
    int code = station_parse_images(app, &job_options);

    if (code == EXIT_DONE)
        code = choose_flash(app, options, &job_options);
    if (code == EXIT_DONE)
        code = station_make(app);
    if (code == EXIT_DONE)
        code = release_expand(app, &job_options, &release);
    if (code == EXIT_DONE)
        code = station_conclude(app, wry_station_plan(app->station, &job_options, &result));
    if (code == EXIT_DONE)
        code = show(app, &result, options);
    wry_plan_result_clear(&result);
    station_free_images(&job_options);
    release_clear(&release);
    return code;
}

#define AT(member) offsetof(struct plan_options, member)

static const struct option own[] = {
    OPTION(TEXT, "chip", chip, "CHIP", "Plan for this chip, without a board"),
    OPTION(TEXT, "flash", flash, "SIZE", "and this size of flash"),
    OPTION(FILE, "svg", svg, "FILE", "Also save the map as a picture"),
    OPTION(FLAG, "replace", replace, NULL, "Replace an existing picture"),
    {.name = NULL},
};

const struct verb verb_plan = {
    .name = "plan",
    .summary = "check what would be written, and draw the flash map",
    .usage = "PLACEMENT…",
    .examples = {"wrytograph plan app=gauge.bin",
                 "wrytograph plan --chip turnstone-t2 --flash 4MiB start=start.bin app=gauge.bin"},
    .usual = {"link", "chip", "flash", "svg", "layout"},
    .description = "Checks the same arguments as write against the board on the link, or against\n"
                   "--chip and --flash, and draws the flash map. Changes nothing.",
    .options = APP_LINK | APP_IMAGES | APP_WRITES,
    .leaves_running = true,
    .own = own,
    .size = sizeof(struct plan_options),
    .run = run,
};
