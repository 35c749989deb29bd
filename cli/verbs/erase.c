/* erase: erases parts of the flash and keeps everything else. */
#include "station_options.h"
#include "verbs.h"
#include "views/json.h"
#include "views/words.h"
#include "wrytograph-host/units.h"

struct erase_options {
    gboolean without_backup;
};

static void print_outcome(const struct app *app, const struct wry_done *done)
{
    g_autofree char *total = wry_units_bytes(done->bytes);
    g_autofree char *duration = words_duration(app->station, done->seconds);

    app_outcome(app, true, "Erased, and verified to be blank by the board's SHA-256: %s %s.", total,
                duration);
    if (done->sectors_left > 0)
        app_note(app, "%u sector%s blank already.", (unsigned)done->sectors_left,
                 done->sectors_left == 1 ? " was" : "s were");
}

static int run(struct app *app, void *values)
{
    const struct erase_options *own = values;
    struct wry_erase_result result = {0};

    if (!app->rest[0])
        return app_fail(app, EXIT_USAGE, "Give 'all', a region's name, or OFFSET+LENGTH.",
                        "nothing to erase was given");
    int code = station_make(app);
    if (code != EXIT_DONE)
        return code;
    struct wry_erase_options options = {.parts = (const char *const *)app->rest,
                                        .every_sector = app->every_sector,
                                        .dry_run = app->dry_run,
                                        .without_backup = own->without_backup};
    enum wry_outcome outcome = wry_station_erase(app->station, &options, &result);
    if (result.erased) {
        print_outcome(app, &result.done);
        json_add_erase(app->json, &result);
    } else if (outcome == WRY_OUTCOME_DONE) {
        app_print(app, "Nothing was erased (--dry-run).");
    }
    return station_conclude(app, outcome);
}

#define AT(member) offsetof(struct erase_options, member)

static const struct option own[] = {
    OPTION(FLAG, "without-backup", without_backup, NULL,
           "Even the whole flash without a known backup of this board, and settings that no backup "
           "has"),
    {.name = NULL},
};

const struct verb verb_erase = {
    .name = "erase",
    .summary = "erase all of the flash, regions or ranges",
    .usage = "all | REGION… | OFFSET+LENGTH…",
    .examples = {"wrytograph erase log", "wrytograph erase 0x1C0000+64K --dry-run"},
    .usual = {"link", "dry-run", "without-backup", "by-hand", "speed"},
    .description =
        "Erases the named parts and verifies that they are blank. Other content of the same\n"
        "sectors is preserved. First lists what will be lost; --dry-run stops there.",
    .options = APP_LINK | APP_DRY_RUN | APP_LAYOUT | APP_EVERY | APP_LEDGER,
    .own = own,
    .size = sizeof(struct erase_options),
    .run = run,
};
