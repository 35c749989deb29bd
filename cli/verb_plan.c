/* plan: what write would do, checked and drawn, touching nothing. */
#include <string.h>

#include "flash_map.h"
#include "link.h"
#include "placements.h"
#include "store/units.h"

struct plan_options {
    char *chip, *flash, *svg;
    gboolean replace;
};

static const char *image_name(const struct wry_placement *placement)
{
    const struct image *image = placement->label;

    return image->file->name;
}

/* Without a link, the flash is described by --chip and --flash. */
static int target_from_options(struct app *app, const struct plan_options *options,
                               struct target *target)
{
    if (!options->chip || !options->flash)
        return app_fail(app, EXIT_USAGE,
                        "Give --link for the board that is there, or --chip and --flash.",
                        "no board to plan for");
    target->chip = wry_chip_by_name(options->chip);
    if (!target->chip)
        return app_fail(app, EXIT_USAGE, "Known are sanderling-s1, turnstone-t2 and dunlin-d3.",
                        "there is no chip '%s'", options->chip);
    if (!units_parse_size(options->flash, &target->flash_size) ||
        target->flash_size < target->chip->flash_min ||
        target->flash_size > target->chip->flash_max)
        return app_fail(app, EXIT_USAGE, "Write it as 4MiB, 4M, 32Mbit or 0x400000.",
                        "'%s' is no flash size of a %s", options->flash, target->chip->title);
    return EXIT_DONE;
}

static int find_target(struct app *app, const struct plan_options *options, struct target *target)
{
    bool described = options->chip || options->flash;

    if (described && app->link)
        return app_fail(app, EXIT_USAGE, "Give either --link, or --chip and --flash.",
                        "two boards to plan for");
    if (described || (!app->link && !g_getenv("WRYTOGRAPH_LINK")))
        return target_from_options(app, options, target);
    int code = link_connect(app);
    if (code == EXIT_DONE)
        *target = regions_target(app);
    return code;
}

static void note_headers(struct app *app, const struct placements *placements)
{
    for (size_t i = 0; i < placements->image_count; i++) {
        const struct image *image = &placements->images[i];
        if (image->header_set)
            app_print(app, "%s: the flash size in its boot header will be set to this flash.",
                      image->file->name);
    }
}

/* What the plan does not do right, though it may be meant. */
static void note_crossings(struct app *app, const struct placements *placements)
{
    for (size_t i = 0; i < placements->count; i++) {
        const struct wry_placement *item = &placements->items[i];
        uint32_t last = item->offset + item->length - 1;
        const struct wry_region *a = wry_layout_at(&app->layout, item->offset);
        const struct wry_region *b = wry_layout_at(&app->layout, last);
        if (a != b)
            app_note(app, "Note: %s begins in %s and ends in %s (0x%06X).",
                     placements_image(placements, i)->file->name, a ? a->name : "no region",
                     b ? b->name : "no region", (unsigned)last);
    }
}

static int draw(struct app *app, const struct placements *placements, const struct target *target,
                const struct plan_options *options)
{
    g_autofree char *size = units_flash_size(target->flash_size);
    g_autofree char *title = g_strdup_printf("%s, %s of flash; layout: %s",
                                             target->chip ? target->chip->title : "unknown chip",
                                             size, app->layout_source);
    struct flash_map *map = flash_map_new(title, target->flash_size, &app->layout);
    GError *error = NULL;
    int code = EXIT_DONE;

    flash_map_add_plan(map, &placements->plan, image_name);
    flash_map_print(map, app);
    if (options->svg && !flash_map_save_svg(map, options->svg, options->replace, &error))
        code = app_fail_error(app, error);
    else if (options->svg)
        app_print(app, "The map is in %s.", options->svg);
    flash_map_free(map);
    return code;
}

static void print_sums(struct app *app, const struct placements *placements)
{
    struct wry_run run;
    unsigned sectors = 0;

    for (uint32_t from = 0; wry_plan_next_run(&placements->plan, from, &run); from = run.end)
        sectors += (run.end - run.start) / WRY_SECTOR_SIZE;
    g_autofree char *bytes = units_bytes(wry_plan_total(&placements->plan));
    app_outcome(app, true, "The plan holds: %s in %u sector%s. Nothing was changed.", bytes,
                sectors, sectors == 1 ? "" : "s");
    app_json_number(app, "sectors", sectors);
}

static int run(struct app *app, struct placements *placements, const struct plan_options *options)
{
    struct target target = {0};
    int code = placements_open(app, placements, app->rest, PLACEMENTS_WRITE);

    if (code == EXIT_DONE)
        code = find_target(app, options, &target);
    if (code == EXIT_DONE)
        code = placements_plan(app, placements, &target);
    if (code != EXIT_DONE)
        return code;
    placements_add_json(app, placements);
    regions_add_json(app);
    code = draw(app, placements, &target, options);
    if (code != EXIT_DONE)
        return code;
    note_headers(app, placements);
    note_crossings(app, placements);
    print_sums(app, placements);
    return EXIT_DONE;
}

int verb_plan(struct app *app, int argc, char **argv)
{
    struct placements placements = {0};
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
    int code;

    if (app_parse(app, argc, argv, APP_LINK | APP_IMAGES, entries, "PLACEMENT…",
                  "Takes what write takes, checks it against the board on the link or against\n"
                  "--chip and --flash, and draws the flash map. Touches nothing."))
        code = run(app, &placements, &options);
    else
        code = app->code;
    placements_free(&placements);
    g_free(options.chip);
    g_free(options.flash);
    g_free(options.svg);
    return code;
}
