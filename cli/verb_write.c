/* write: images at their places, checked by the board's own digest. */
#include "bar.h"
#include "keeping.h"
#include "link.h"
#include "placements.h"
#include "store/units.h"

static void announce_image(struct app *app, const struct image *image)
{
    g_autofree char *length = units_bytes(image->file->length);
    uint32_t start = placements_image_start(image);
    uint64_t end = start + placements_image_span(image);

    app_note(app, "  0x%06X to 0x%06X  %-13s %s%s%s%s%s", (unsigned)start, (unsigned)(end - 1),
             length, image->file->name, image->region ? " into region " : "",
             image->region ? image->region->name : "",
             image->has_header ? ": " : "  (no boot header: written as it is)",
             image->has_header ? image->header.version : "");
    if (image->header_set)
        app_note(app, "    the flash size in its boot header is set to that of this board");
}

/* Bytes that share a sector with an image and stay as they are. */
static uint32_t kept_neighbours(const struct wry_plan *plan, uint32_t *sectors)
{
    struct wry_run run;
    uint32_t kept = 0;

    *sectors = 0;
    for (uint32_t from = 0; wry_plan_next_run(plan, from, &run); from = run.end) {
        *sectors += (run.end - run.start) / WRY_SECTOR_SIZE;
        kept += run.end - run.start - wry_plan_covered(plan, run.start, run.end - run.start);
    }
    return kept;
}

static void announce(struct app *app, const struct placements *placements)
{
    g_autofree char *board = link_describe(app);
    uint32_t sectors;
    uint32_t kept = kept_neighbours(&placements->plan, &sectors);
    g_autofree char *kept_text = units_bytes(kept);

    app_note(app, "Board %s", board);
    app_note(app, "%s", app->dry_run ? "Would write:" : "Going to write:");
    for (size_t i = 0; i < placements->image_count; i++)
        announce_image(app, &placements->images[i]);
    app_note(app, "%u sector%s%s; %s beside the images in the same sectors %s.", (unsigned)sectors,
             sectors == 1 ? " holds them" : "s hold them",
             app->every_sector ? ", and all is rewritten" : ", what differs is rewritten",
             kept_text, kept == 1 ? "is kept as it is now" : "are kept as they are now");
}

static void print_outcome(struct app *app, const struct placements *placements, double seconds)
{
    g_autofree char *total = units_bytes(wry_plan_total(&placements->plan));
    g_autofree char *duration = app_duration(app, seconds);
    g_autofree char *offsets = placements_offsets(placements);
    const struct wry_session_stats *stats = wry_session_stats(&app->session);

    if (stats->sectors_written == 0)
        app_outcome(app, true,
                    "Nothing to write: the flash held it already, by the board's SHA-256: %s at "
                    "%s, %s.",
                    total, offsets, duration);
    else
        app_outcome(app, true, "Written, and checked by the board's SHA-256: %s at %s %s.", total,
                    offsets, duration);
    if (stats->sectors_written > 0 && stats->sectors_left > 0)
        app_note(app, "%u sector%s written, %u held the right content already.",
                 (unsigned)stats->sectors_written, stats->sectors_written == 1 ? " was" : "s were",
                 (unsigned)stats->sectors_left);
    if (stats->frames_resent > 0)
        app_note(app, "%u frame%s damaged on the line and sent again.", stats->frames_resent,
                 stats->frames_resent == 1 ? " was" : "s were");
    if (stats->reconnects > 0)
        app_note(app, "The link was lost and found again %u time%s.", stats->reconnects,
                 stats->reconnects == 1 ? "" : "s");
    app_note(app, "The board is still in loading mode: 'wrytograph start' runs the firmware.");
}

static void add_json(struct app *app, const struct placements *placements, bool written,
                     double seconds)
{
    g_autofree char *address = units_address(app->session.board.eui48);
    const struct wry_session_stats *stats = wry_session_stats(&app->session);

    app_json_text(app, "address", address);
    placements_add_json(app, placements);
    json_builder_set_member_name(app->json, "written_and_checked");
    json_builder_add_boolean_value(app->json, written);
    json_builder_set_member_name(app->json, "seconds");
    json_builder_add_double_value(app->json, seconds);
    app_json_number(app, "sectors_written", stats->sectors_written);
    app_json_number(app, "sectors_left", stats->sectors_left);
    app_json_number(app, "frames_resent", stats->frames_resent);
    app_json_number(app, "reconnects", stats->reconnects);
    app_json_number(app, "bytes_sent", (int64_t)stats->bytes_sent);
}

/* What was written came from the files piece by piece: they must still be what they were. */
static int check_unchanged(struct app *app, const struct placements *placements)
{
    for (size_t i = 0; i < placements->image_count; i++) {
        if (image_file_changed(placements->images[i].file))
            return app_fail(app, EXIT_BAD_INPUT,
                            "The flash may hold a part of each. Run the same command again, when "
                            "the file is complete.",
                            "%s changed while it was being written",
                            placements->images[i].file->path);
    }
    return EXIT_DONE;
}

static int write_plan(struct app *app, struct placements *placements)
{
    uint64_t begun = app->port->now(app->port->context);
    int code = keeping_settle(app);

    if (code != EXIT_DONE)
        return code;
    app->bar = bar_begin("Writing", WRY_STEP_WRITE, begun);
    enum wry_status status = wry_session_write(&app->session, &placements->plan);
    bar_end(app->bar);
    app->bar = NULL;
    double seconds = (double)(app->port->now(app->port->context) - begun) / 1e6;
    add_json(app, placements, status == WRY_OK, seconds);
    if (status != WRY_OK)
        return app_fail_session(app, status);
    int code_of_files = check_unchanged(app, placements);
    if (code_of_files == EXIT_DONE)
        print_outcome(app, placements, seconds);
    return code_of_files;
}

static int run(struct app *app, struct placements *placements)
{
    app->settles = !app->dry_run;
    int code = placements_prepare(app, placements, PLACEMENTS_WRITE);

    if (code != EXIT_DONE)
        return code;
    announce(app, placements);
    code = keeping_announce(app, &placements->plan);
    if (code != EXIT_DONE)
        return code;
    if (!app->dry_run)
        return write_plan(app, placements);
    add_json(app, placements, false, 0);
    app_print(app, "Nothing was written (--dry-run).");
    return EXIT_DONE;
}

int verb_write(struct app *app, int argc, char **argv)
{
    struct placements placements = {0};
    int code;

    if (app_parse(app, argc, argv, APP_LINK | APP_DRY_RUN | APP_IMAGES | APP_EVERY, NULL,
                  "PLACEMENT…",
                  "A placement is REGION=FILE, OFFSET=FILE, or a HEX or S-record FILE that says\n"
                  "itself where it goes. Writes the sectors that differ and compares the board's\n"
                  "SHA-256 of all of it with that of the files. Everything else in the flash\n"
                  "stays as it is. Chip, flash size, places and boot headers are checked first.\n"
                  "A write that was interrupted is resumed by saying it again."))
        code = run(app, &placements);
    else
        code = app->code;
    placements_free(&placements);
    return code;
}
