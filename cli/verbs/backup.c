/* backup: the flash into an archive tied to the board. */
#include "station_options.h"
#include "verbs.h"
#include "views/json.h"
#include "views/stats.h"
#include "views/words.h"
#include "wrytograph-host/units.h"

static void print_outcome(const struct app *app, const struct wry_backup_options *options,
                          const struct wry_backup_result *result)
{
    g_autofree char *address = wry_units_address(result->address);
    g_autofree char *duration = words_duration(app->station, result->done.seconds);
    g_autofree char *bytes = wry_units_bytes(result->done.bytes);
    g_autofree char *same = wry_units_bytes(result->from_older);

    app_outcome(app, true,
                "Backed up, and checked by the board's SHA-256: %s of board %s to %s %s.", bytes,
                address, result->file, duration);
    stats_tell(app, &result->done);
    if (options->older)
        app_note(app, "%s had not changed and came from the older archive.", same);
}

static int back_up(struct app *app, struct wry_backup_options *options)
{
    struct wry_backup_result result = {0};

    options->file = app->rest[0];
    if (options->file && (app->rest[1] || options->folder))
        return app_fail(app, EXIT_USAGE,
                        "Such as 'wrytograph backup gauge-1.zip', or 'wrytograph backup' alone for "
                        "a name of its own in the folder of backups.",
                        options->folder ? "a file to back up to, and a folder"
                                        : "more than one file to back up to");
    int code = station_make(app);
    if (code != EXIT_DONE)
        return code;
    enum wry_outcome outcome = wry_station_backup(app->station, options, &result);
    if (result.saved) {
        print_outcome(app, options, &result);
        json_add_backup(app->json, &result);
    }
    wry_backup_result_clear(&result);
    return station_conclude(app, outcome);
}

int verb_backup(struct app *app, int argc, char **argv)
{
    g_auto(GStrv) only = NULL;
    g_autofree char *since = NULL, *into = NULL;
    gboolean plain = FALSE, replace = FALSE;
    GOptionEntry entries[] = {
        {"only", 0, 0, G_OPTION_ARG_STRING_ARRAY, &only,
         "Only this part: a region's name or OFFSET+LENGTH; may be repeated", "PART"},
        {"into", 0, 0, G_OPTION_ARG_FILENAME, &into,
         "Folder for the backup, which is named by the board's address and the time; else "
         "WRYTOGRAPH_BACKUPS, else the usual one",
         "FOLDER"},
        {"since", 0, 0, G_OPTION_ARG_FILENAME, &since,
         "Read only what changed since this archive; the result is complete", "OLDER"},
        {"plain", 0, 0, G_OPTION_ARG_NONE, &plain,
         "Write just the binary, without the board's description", NULL},
        {"replace", 0, 0, G_OPTION_ARG_NONE, &replace, "Replace a file of that name", NULL},
        G_OPTION_ENTRY_NULL};

    if (!app_parse(app, argc, argv, entries))
        return app->code;
    struct wry_backup_options options = {

        .folder = into,
        .parts = (const char *const *)only,
        .older = since,
        .plain = plain,
        .replace = replace};
    return back_up(app, &options);
}
