/* write: places images in the flash, verified by the board's digest. */
#include "release.h"
#include "station_options.h"
#include "verbs.h"
#include "views/expected.h"
#include "views/json.h"
#include "views/stats.h"
#include "views/words.h"
#include "wrytograph-host/units.h"
#include "wrytograph/layout.h"

struct write_options {
    gboolean without_backup;
};

/* Warns of images at the place where the chip starts programs that it would not start. */
static void warn_of_no_program(const struct app *app, const struct wry_planned *planned)
{
    for (size_t i = 0; i < planned->image_count; i++) {
        const struct wry_planned_image *image = planned->images[i];
        const struct wry_region *region =
            image->region ? image->region : wry_layout_at(&planned->layout.table, image->start);
        if (words_would_not_start(planned, image))
            app_note(app, "%s %s: the board will not start from region '%s'.", image->name,
                     image->what == WRY_WHAT_PROGRAM ? "is damaged" : "has no boot header",
                     region->name);
    }
}

static void print_outcome(const struct app *app, const struct wry_write_result *result)
{
    const struct wry_done *done = &result->done;
    uint64_t blanked = 0;
    g_autofree char *duration = words_duration(app->station, done->seconds);
    g_autofree char *offsets = words_offsets(&result->planned);

    for (size_t i = 0; i < result->planned.image_count; i++)
        blanked += result->planned.images[i]->rest_length;
    g_autofree char *total = wry_units_bytes(done->bytes - blanked);
    g_autofree char *behind = wry_units_bytes(blanked);

    if (done->sectors_written == 0)
        app_outcome(
            app, true,
            "Nothing to write: the flash already has it, by the board's SHA-256: %s at %s, %s.",
            total, offsets, duration);
    else
        app_outcome(app, true, "Written, and verified by the board's SHA-256: %s at %s %s.", total,
                    offsets, duration);
    if (blanked > 0)
        app_note(app, "%s after it in the same regions %s erased.", behind,
                 blanked == 1 ? "is" : "are");
    if (done->sectors_written > 0 && done->sectors_left > 0)
        app_note(app, "%u sector%s written, %u already had the right content.",
                 (unsigned)done->sectors_written, done->sectors_written == 1 ? " was" : "s were",
                 (unsigned)done->sectors_left);
    warn_of_no_program(app, &result->planned);
    stats_tell(app, done);
    if (done->frames_resent > 0)
        app_note(app, "%u frame%s damaged on the line and resent.", done->frames_resent,
                 done->frames_resent == 1 ? " was" : "s were");
    if (done->reconnects > 0)
        app_note(app,
                 "The link was lost and found again %u time%s; 'wrytograph examine' finds out why.",
                 done->reconnects, done->reconnects == 1 ? "" : "s");
}

static int write_images(struct app *app, const struct wry_images_options *options)
{
    struct wry_write_result result = {0};
    enum wry_outcome outcome = wry_station_write(app->station, options, &result);
    bool planned = outcome == WRY_OUTCOME_DONE && options->dry_run;

    if (result.tried || planned) {
        g_autofree char *address = wry_units_address(wry_station_board(app->station)->eui48);
        json_add_write(app->json, &result, address);
        expected_add(app->json, &result.expected);
    }
    if (planned) {
        expected_print(app, &result.expected);
        app_print(app, "Nothing was written (--dry-run).");
    } else if (outcome == WRY_OUTCOME_DONE) {
        print_outcome(app, &result);
    }
    wry_write_result_clear(&result);
    return station_conclude(app, outcome);
}

static int run(struct app *app, void *values)
{
    const struct write_options *own = values;
    struct wry_images_options options;
    struct release release = {0};
    int code = station_parse_images(app, &options);

    options.without_backup = own->without_backup;
    if (code == EXIT_DONE)
        code = station_make(app);
    if (code == EXIT_DONE)
        code = release_expand(app, &options, &release);
    if (code == EXIT_DONE)
        code = write_images(app, &options);
    station_free_images(&options);
    release_clear(&release);
    return code;
}

#define AT(member) offsetof(struct write_options, member)

static const struct option own[] = {
    OPTION(FLAG, "without-backup", without_backup, NULL,
           "Even if settings would be lost that no known backup of this board has"),
    {.name = NULL},
};

const struct verb verb_write = {
    .name = "write",
    .summary = "write images to their places and verify them",
    .usage = "PLACEMENT…",
    .examples =
        {"wrytograph write app=gauge.bin",
         "wrytograph write start=start.bin table=regions.bin app=gauge.bin --set datum_mm=-1801"},
    .usual = {"link", "set", "dry-run", "by-hand", "speed"},
    .description =
        "A placement is REGION=FILE, OFFSET=FILE, or a FILE whose content determines its\n"
        "place: HEX and S-records, programs with a boot header, region tables. FILE may be\n"
        "shelf:NAME, settings as FILE.yaml for a settings region, or a folder for a files\n"
        "region. Checks chip, flash size, places and boot headers, writes the sectors that\n"
        "differ, and compares the board's SHA-256 of all content with that of the files.\n"
        "Everything else in the flash is unchanged. To resume an interrupted write, run\n"
        "the same command again.",
    .options =
        APP_LINK | APP_DRY_RUN | APP_IMAGES | APP_WRITES | APP_EVERY | APP_KNOWN | APP_LEDGER,
    .own = own,
    .size = sizeof(struct write_options),
    .run = run,
};
