/* verify: images or an archive against what the flash holds. */
#include "station_options.h"
#include "verbs.h"
#include "views/json.h"
#include "views/mismatches.h"
#include "wrytograph-host/inspect.h"

static int conclude(struct app *app, enum wry_outcome outcome, struct wry_verify_result *result,
                    const char *list, const char *what)
{
    if (result->comparisons)
        json_add_verify(app->json, result, list);
    if (outcome == WRY_OUTCOME_DIFFERS && result->comparisons && !result->same)
        mismatches_draw(app, result);
    if (outcome == WRY_OUTCOME_DONE)
        app_outcome(app, true, "Verified: the flash holds %s.", what);
    wry_verify_result_clear(result);
    return station_conclude(app, outcome);
}

static int verify_archive(struct app *app, const char *file, bool read_back)
{
    struct wry_verify_result result = {0};
    int code = station_make(app);

    if (code != EXIT_DONE)
        return code;
    enum wry_outcome outcome = wry_station_verify_archive(app->station, file, read_back, &result);
    return conclude(app, outcome, &result, "ranges", "what is in the archive");
}

static int verify_images(struct app *app, bool read_back)
{
    struct wry_verify_result result = {0};
    struct wry_images_options options;
    int code = station_parse_images(app, &options);

    options.read_back = read_back;
    if (code == EXIT_DONE)
        code = station_make(app);
    if (code == EXIT_DONE) {
        enum wry_outcome outcome = wry_station_verify(app->station, &options, &result);
        code = conclude(app, outcome, &result, "images",
                        options.image_count == 1 ? "the image" : "all the images");
    }
    station_free_images(&options);
    return code;
}

int verb_verify(struct app *app, int argc, char **argv)
{
    gboolean read_back = FALSE;
    GOptionEntry entries[] = {{"read-back", 0, 0, G_OPTION_ARG_NONE, &read_back,
                               "Read everything and compare bytes, instead of digests", NULL},
                              G_OPTION_ENTRY_NULL};

    if (!app_parse(app, argc, argv, entries))
        return app->code;
    if (app->rest[0] && !app->rest[1] && wry_file_kind_of(app->rest[0]) == WRY_FILE_ARCHIVE)
        return verify_archive(app, app->rest[0], read_back);
    return verify_images(app, read_back);
}
