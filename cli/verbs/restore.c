/* restore: puts an archive back on its board. */
#include "station_options.h"
#include "verbs.h"
#include "views/json.h"
#include "views/stats.h"
#include "views/words.h"
#include "wrytograph-host/units.h"

struct restore_options {
    char **only;
    gboolean without_backup, from_another_board;
};

static void print_outcome(const struct app *app, const struct wry_done *done)
{
    g_autofree char *total = wry_units_bytes(done->bytes);
    g_autofree char *duration = words_duration(app->station, done->seconds);

    app_outcome(app, true,
                "Restored, and verified by the board's SHA-256: %s; %u sector%s written, %u %s "
                "unchanged, %s.",
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

static int run(struct app *app, void *values)
{
    const struct restore_options *own = values;

    if (!app->rest[0] || app->rest[1])
        return app_fail(app, EXIT_USAGE, "Such as 'wrytograph restore gauge-1.zip'.",
                        "give one archive to restore");
    struct wry_restore_options options = {.file = app->rest[0],
                                          .parts = (const char *const *)own->only,
                                          .from_another_board = own->from_another_board,
                                          .without_backup = own->without_backup,
                                          .every_sector = app->every_sector,
                                          .dry_run = app->dry_run};
    return restore(app, &options);
}

#define AT(member) offsetof(struct restore_options, member)

static const struct option own[] = {
    OPTION(TEXTS, "only", only, "PART",
           "Only this part of the archive: a region's name or OFFSET+LENGTH; may be repeated"),
    OPTION(FLAG, "without-backup", without_backup, NULL,
           "Even without a known backup of this board"),
    OPTION(FLAG, "from-another-board", from_another_board, NULL,
           "Accept another board's backup, or a plain binary"),
    {.name = NULL},
};

const struct verb verb_restore = {
    .name = "restore",
    .summary = "restore an archive to its board",
    .usage = "ARCHIVE",
    .examples = {"wrytograph restore gauge-1.zip",
                 "wrytograph restore gauge-1.zip --only calibration"},
    .usual = {"link", "only", "dry-run", "by-hand", "speed"},
    .description =
        "Restores a backup to the board it comes from. Checks the archive's digests, chip,\n"
        "flash size and board address before anything is changed. Sectors that already\n"
        "have the right content are left alone.",
    .options = APP_LINK | APP_DRY_RUN | APP_EVERY | APP_KNOWN | APP_LEDGER,
    .own = own,
    .size = sizeof(struct restore_options),
    .run = run,
};
