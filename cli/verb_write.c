/* write: images at their offsets, checked by the board's own digest. */
#include "bar.h"
#include "link.h"
#include "placements.h"
#include "units.h"

static void announce_image(struct app *app, const struct wry_placement *item)
{
    const struct image *image = item->label;
    g_autofree char *length = units_bytes(item->length);

    app_note(app, "  0x%06X to 0x%06X  %-13s %s%s%s", (unsigned)item->offset,
             (unsigned)(item->offset + item->length - 1), length, image->name,
             image->has_header ? ": " : "  (no boot header: written as it is)",
             image->has_header ? image->header.version : "");
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
    for (size_t i = 0; i < placements->count; i++)
        announce_image(app, &placements->items[i]);
    app_note(app, "%u sectors are erased; %s beside the images in the same sectors %s kept.",
             (unsigned)sectors, kept_text, kept == 1 ? "is" : "are");
}

static void print_outcome(struct app *app, const struct placements *placements, double seconds)
{
    g_autofree char *total = units_bytes(wry_plan_total(&placements->plan));
    const struct wry_session_stats *stats = wry_session_stats(&app->session);
    g_autofree char *duration = app_duration(app, seconds);
    g_autoptr(GString) offsets = g_string_new(NULL);

    for (size_t i = 0; i < placements->count; i++)
        g_string_append_printf(offsets, "%s0x%06X", i > 0 ? ", " : "",
                               (unsigned)placements->items[i].offset);
    app_outcome(app, true, "Written, and checked by the board's SHA-256: %s at %s %s.", total,
                offsets->str, duration);
    if (stats->frames_resent > 0)
        app_note(app, "%u frames were damaged on the line and sent again.", stats->frames_resent);
    app_note(app, "The board is still in loading mode: 'wrytograph start' runs the firmware.");
}

static void add_json(struct app *app, const struct placements *placements, bool written,
                     double seconds)
{
    g_autofree char *address = units_address(app->session.board.eui48);

    app_json_text(app, "address", address);
    json_builder_set_member_name(app->json, "images");
    json_builder_begin_array(app->json);
    for (size_t i = 0; i < placements->count; i++) {
        json_builder_begin_object(app->json);
        app_json_text(app, "file", placements_image(placements, i)->path);
        app_json_offset(app, "offset", placements->items[i].offset);
        app_json_number(app, "length", placements->items[i].length);
        json_builder_end_object(app->json);
    }
    json_builder_end_array(app->json);
    json_builder_set_member_name(app->json, "written_and_checked");
    json_builder_add_boolean_value(app->json, written);
    json_builder_set_member_name(app->json, "seconds");
    json_builder_add_double_value(app->json, seconds);
    app_json_number(app, "frames_resent", wry_session_stats(&app->session)->frames_resent);
}

static int write_plan(struct app *app, struct placements *placements)
{
    uint64_t begun = app->port->now(app->port->context);

    app->bar = bar_begin("Writing", WRY_STEP_WRITE, begun);
    enum wry_status status = wry_session_write(&app->session, &placements->plan);
    bar_end(app->bar);
    app->bar = NULL;
    double seconds = (double)(app->port->now(app->port->context) - begun) / 1e6;
    add_json(app, placements, status == WRY_OK, seconds);
    if (status != WRY_OK)
        return app_fail_session(app, status);
    print_outcome(app, placements, seconds);
    return EXIT_DONE;
}

static int run(struct app *app, struct placements *placements)
{
    int code = placements_open(app, placements, app->rest, PLACEMENTS_WRITE);

    if (code == EXIT_DONE)
        code = link_connect(app);
    if (code == EXIT_DONE)
        code = placements_plan(app, placements);
    if (code != EXIT_DONE)
        return code;
    announce(app, placements);
    if (!app->dry_run)
        return write_plan(app, placements);
    add_json(app, placements, false, 0);
    app_print(app, "Nothing was written (--dry-run).");
    return EXIT_DONE;
}

int verb_write(struct app *app, int argc, char **argv)
{
    struct placements placements = {0};

    if (!app_parse(app, argc, argv, APP_LINK | APP_DRY_RUN, NULL, "OFFSET=FILE…",
                   "Erases the sectors that the images need, writes the images and compares the\n"
                   "board's SHA-256 with that of the files. Everything else in the flash stays as\n"
                   "it is. Chip, flash size, offsets and boot headers are checked first."))
        return app->code;
    int code = run(app, &placements);
    placements_free(&placements);
    return code;
}
