/* verify: compares images or an archive with the flash. */
#include "release.h"
#include "station_options.h"
#include "verbs.h"
#include "views/json.h"
#include "views/mismatches.h"
#include "wrytograph-host/inspect.h"

struct verify_options {
    gboolean read_back;
};

static int conclude(struct app *app, enum wry_outcome outcome, struct wry_verify_result *result,
                    const char *list, const char *what)
{
    if (result->comparisons)
        json_add_verify(app->json, result, list);
    if (outcome == WRY_OUTCOME_DIFFERS && result->comparisons && !result->same)
        mismatches_draw(app, result);
    if (outcome == WRY_OUTCOME_DONE)
        app_outcome(app, true, "Verified: the flash has %s.", what);
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
    return conclude(app, outcome, &result, "ranges", "the content of the archive");
}

static int verify_images(struct app *app, bool read_back)
{
    struct wry_verify_result result = {0};
    struct wry_images_options options;
    struct release release = {0};
    int code = station_parse_images(app, &options);

    options.read_back = read_back;
    if (code == EXIT_DONE)
        code = station_make(app);
    if (code == EXIT_DONE)
        code = release_expand(app, &options, &release);
    if (code == EXIT_DONE) {
        enum wry_outcome outcome = wry_station_verify(app->station, &options, &result);
        code = conclude(app, outcome, &result, "images",
                        options.image_count == 1 ? "the image" : "all the images");
    }
    station_free_images(&options);
    release_clear(&release);
    return code;
}

static int run(struct app *app, void *values)
{
    const struct verify_options *options = values;

    if (app->rest[0] && !app->rest[1] && wry_file_kind_of(app->rest[0]) == WRY_FILE_ARCHIVE &&
        !release_is_one(app->rest[0]))
        return verify_archive(app, app->rest[0], options->read_back);
    return verify_images(app, options->read_back);
}

#define AT(member) offsetof(struct verify_options, member)

static const struct option own[] = {
    OPTION(FLAG, "read-back", read_back, NULL,
           "Read everything and compare bytes, instead of digests"),
    {.name = NULL},
};

const struct verb verb_verify = {
    .name = "verify",
    .summary = "compare images or an archive with the flash",
    .usage = "PLACEMENT… | ARCHIVE",
    .examples = {"wrytograph verify app=gauge.bin", "wrytograph verify gauge-1.zip"},
    .usual = {"link", "read-back", "by-hand", "speed", "layout"},
    .description =
        "Compares images, or a backup archive, with the flash by the board's SHA-256, and\n"
        "lists and draws the differences. Changes nothing. Exit code 6 if anything\n"
        "differs. The flash size in boot headers is compared as write would set it.",
    .options = APP_LINK | APP_IMAGES,
    .leaves_running = true,
    .own = own,
    .size = sizeof(struct verify_options),
    .run = run,
};
