/* backup: saves the flash to an archive of this board. */
#include "station_options.h"
#include "verbs.h"
#include "views/json.h"
#include "views/stats.h"
#include "views/words.h"
#include "wrytograph-host/units.h"

struct backup_options {
    char **only, *into, *since;
    gboolean plain, replace;
};

static void print_outcome(const struct app *app, const struct wry_backup_options *options,
                          const struct wry_backup_result *result)
{
    g_autofree char *address = wry_units_address(result->address);
    g_autofree char *duration = words_duration(app->station, result->done.seconds);
    g_autofree char *bytes = wry_units_bytes(result->done.bytes);
    g_autofree char *same = wry_units_bytes(result->from_older);

    app_outcome(app, true,
                "Backed up, and verified by the board's SHA-256: %s of board %s to %s %s.", bytes,
                address, result->file, duration);
    stats_tell(app, &result->done);
    if (options->older)
        app_note(app, "%s had not changed and was taken from the older archive.", same);
}

static int back_up(struct app *app, struct wry_backup_options *options)
{
    struct wry_backup_result result = {0};

    options->file = app->rest[0];
    if (options->file && (app->rest[1] || options->folder))
        return app_fail(app, EXIT_USAGE,
                        "Such as 'wrytograph backup gauge-1.zip', or 'wrytograph backup' for a new "
                        "file in the folder of backups.",
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

static int run(struct app *app, void *values)
{
    const struct backup_options *own = values;
    struct wry_backup_options options = {.folder = own->into,
                                         .parts = (const char *const *)own->only,
                                         .older = own->since,
                                         .plain = own->plain,
                                         .replace = own->replace};

    return back_up(app, &options);
}

#define AT(member) offsetof(struct backup_options, member)

static const struct option own[] = {
    OPTION(TEXTS, "only", only, "PART",
           "Only this part: a region's name or OFFSET+LENGTH; may be repeated"),
    OPTION(FILE, "into", into, "FOLDER",
           "Folder for a backup named by the board's address and the time; default: "
           "WRYTOGRAPH_BACKUPS, else the user's"),
    OPTION(FILE, "since", since, "OLDER",
           "Read only what has changed since this archive; the result is complete"),
    OPTION(FLAG, "plain", plain, NULL, "Write a plain binary, without the board's description"),
    OPTION(FLAG, "replace", replace, NULL, "Replace an existing file"),
    {.name = NULL},
};

const struct verb verb_backup = {
    .name = "backup",
    .summary = "save the flash to an archive tied to the board",
    .usage = "[FILE]",
    .examples = {"wrytograph backup", "wrytograph backup gauge-1.zip --only calibration"},
    .usual = {"link", "only", "into", "since", "by-hand"},
    .description =
        "Reads the flash into an archive of this board. Without a FILE it is named by\n"
        "address and time, in the folder of backups. The file appears under its name only\n"
        "when it is complete and its SHA-256 matches the board's.",
    .options = APP_LINK | APP_LAYOUT | APP_KNOWN | APP_LEDGER,
    .leaves_running = true,
    .own = own,
    .size = sizeof(struct backup_options),
    .run = run,
};
