/* restore: an archive back onto its board. */
#include "station_options.h"
#include "verbs.h"
#include "views/json.h"
#include "views/stats.h"
#include "views/words.h"
#include "wrytograph-host/units.h"

static void print_outcome(const struct app *app, const struct wry_done *done)
{
    g_autofree char *total = wry_units_bytes(done->bytes);
    g_autofree char *duration = words_duration(app->station, done->seconds);

    app_outcome(app, true,
                "Restored, and checked by the board's SHA-256: %s; %u sector%s written, %u %s "
                "right already, %s.",
                total, (unsigned)done->sectors_written, done->sectors_written == 1 ? "" : "s",
                (unsigned)done->sectors_left, done->sectors_left == 1 ? "was" : "were", duration);
    stats_tell(app, done);
}

static int restore(struct app *app, const struct wry_restore_options *options)
{
    struct wry_restore_result result = {0};
    int code = station_make(app);

    if (code != EXIT_DONE)
        return code;
    enum wry_outcome outcome = wry_station_restore(app->station, options, &result);
    if (result.restored) {
        print_outcome(app, &result.done);
        json_add_restore(app->json, &result);
    } else if (outcome == WRY_OUTCOME_DONE) {
        app_print(app, "Nothing was restored (--dry-run).");
    }
    return station_conclude(app, outcome);
}

int verb_restore(struct app *app, int argc, char **argv)
{
    gboolean from_another_board = FALSE, without_backup = FALSE;
    g_auto(GStrv) only = NULL;
    GOptionEntry entries[] = {{"only", 0, 0, G_OPTION_ARG_STRING_ARRAY, &only,
                               "Only this part of the archive: a region's name or OFFSET+LENGTH; "
                               "may be repeated",
                               "PART"},
                              {"without-backup", 0, 0, G_OPTION_ARG_NONE, &without_backup,
                               "Also where no backup of this board is known", NULL},
                              {"from-another-board", 0, 0, G_OPTION_ARG_NONE, &from_another_board,
                               "Allow another board's backup, or a plain binary of unknown origin",
                               NULL},
                              G_OPTION_ENTRY_NULL};

    if (!app_parse(app, argc, argv, entries))
        return app->code;
    if (!app->rest[0] || app->rest[1])
        return app_fail(app, EXIT_USAGE, "Such as 'wrytograph restore gauge-1.zip'.",
                        "give one archive to restore");
    struct wry_restore_options options = {.file = app->rest[0],
                                          .parts = (const char *const *)only,
                                          .from_another_board = from_another_board,
                                          .without_backup = without_backup,
                                          .every_sector = app->every_sector,
                                          .dry_run = app->dry_run};
    return restore(app, &options);
}
