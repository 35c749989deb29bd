/* plan: what write would do, checked and drawn, touching nothing. */
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
                        "Give --link for the board that is there, or --chip and --flash.",
                        "no board to plan for");
    int code = values_chip(app, options->chip, &job_options->chip);
    if (code != EXIT_DONE)
        return code;
    if (!wry_units_parse_size(options->flash, &job_options->flash_size) ||
        job_options->flash_size < job_options->chip->flash_min ||
        job_options->flash_size > job_options->chip->flash_max)
        return app_fail(app, EXIT_USAGE, "Write it as 4MiB, 4M, 32Mbit or 0x400000.",
                        "'%s' is no flash size of a %s", options->flash, job_options->chip->title);
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
    app_outcome(app, true, "The plan holds: %s in %s. Nothing was changed.", bytes, sectors);
    return EXIT_DONE;
}

static int run(struct app *app, const struct plan_options *options)
{
    struct wry_plan_result result = {0};
    struct wry_images_options job_options;
    int code = station_parse_images(app, &job_options);

    if (code == EXIT_DONE)
        code = choose_flash(app, options, &job_options);
    if (code == EXIT_DONE)
        code = station_make(app);
    if (code == EXIT_DONE)
        code = station_conclude(app, wry_station_plan(app->station, &job_options, &result));
    if (code == EXIT_DONE)
        code = show(app, &result, options);
    wry_plan_result_clear(&result);
    station_free_images(&job_options);
    return code;
}

int verb_plan(struct app *app, int argc, char **argv)
{
    struct plan_options options = {0};
    GOptionEntry entries[] = {
        {"chip", 0, 0, G_OPTION_ARG_STRING, &options.chip, "Plan for this chip, without a board",
         "CHIP"},
        {"flash", 0, 0, G_OPTION_ARG_STRING, &options.flash, "and this size of flash", "SIZE"},
        {"svg", 0, 0, G_OPTION_ARG_FILENAME, &options.svg, "Draw the map into a picture, too",
         "FILE"},
        {"replace", 0, 0, G_OPTION_ARG_NONE, &options.replace, "Replace a picture of that name",
         NULL},
        G_OPTION_ENTRY_NULL};
    int code = app_parse(app, argc, argv, entries) ? run(app, &options) : app->code;

    g_free(options.chip);
    g_free(options.flash);
    g_free(options.svg);
    return code;
}
