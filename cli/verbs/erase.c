/* erase: all of the flash, regions or ranges; everything else stays. */
#include "station_options.h"
#include "verbs.h"
#include "views/json.h"
#include "views/words.h"
#include "wrytograph-host/units.h"

static void print_outcome(const struct app *app, const struct wry_done *done)
{
    g_autofree char *total = wry_units_bytes(done->bytes);
    g_autofree char *duration = words_duration(app->station, done->seconds);

    app_outcome(app, true, "Erased, and checked to be blank by the board's SHA-256: %s %s.", total,
                duration);
    if (done->sectors_left > 0)
        app_note(app, "%u sector%s blank already.", (unsigned)done->sectors_left,
                 done->sectors_left == 1 ? " was" : "s were");
}

int verb_erase(struct app *app, int argc, char **argv)
{
    gboolean without_backup = FALSE;
    GOptionEntry entries[] = {
        {"without-backup", 0, 0, G_OPTION_ARG_NONE, &without_backup,
         "Also all of the flash, and settings, of which no backup of this board is known", NULL},
        G_OPTION_ENTRY_NULL};
    struct wry_erase_result result = {0};

    if (!app_parse(app, argc, argv, entries))
        return app->code;
    if (!app->rest[0])
        return app_fail(app, EXIT_USAGE, "Say all, a region's name, or OFFSET+LENGTH.",
                        "nothing said to erase");
    int code = station_make(app);
    if (code != EXIT_DONE)
        return code;
    struct wry_erase_options options = {.parts = (const char *const *)app->rest,
                                        .every_sector = app->every_sector,
                                        .dry_run = app->dry_run,
                                        .without_backup = without_backup};
    enum wry_outcome outcome = wry_station_erase(app->station, &options, &result);
    if (result.erased) {
        print_outcome(app, &result.done);
        json_add_erase(app->json, &result);
    } else if (outcome == WRY_OUTCOME_DONE) {
        app_print(app, "Nothing was erased (--dry-run).");
    }
    return station_conclude(app, outcome);
}
