/* restore: an archive back onto its board. */
#include <string.h>

#include "archives.h"
#include "bar.h"
#include "keeping.h"
#include "link.h"
#include "store/image_file.h"
#include "store/units.h"

struct restore {
    struct app *app;
    const char *path;
    gboolean from_another_board;
    struct archive *archive; /* or */
    struct image_file *plain;
    GArray *items; /* struct wry_placement */
    struct wry_plan plan;
};

static bool read_plain(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    return image_file_read(context, offset, to, n);
}

static int open_source(struct restore *r)
{
    GError *error = NULL;

    if (archive_is_one(r->path))
        r->archive = archive_open(r->path, &error);
    else
        r->plain = image_file_open(r->path, WRY_IMAGE_RAW, &error);
    return r->archive || r->plain ? EXIT_DONE : app_fail_error(r->app, error);
}

static int check_archive(struct restore *r)
{
    int code = archives_check_flash(r->app, r->archive, r->path);
    g_autofree char *theirs = units_address(r->archive->eui48);
    g_autofree char *ours = units_address(r->app->session.board.eui48);

    if (code != EXIT_DONE || archives_same_board(r->app, r->archive))
        return code;
    if (!r->from_another_board)
        return app_fail(r->app, EXIT_WRONG,
                        "Nothing was changed. A backup holds the calibration and identity of its "
                        "board.\nIf that is what you want, say --from-another-board.",
                        "%s comes from board %s, this is board %s", r->path, theirs, ours);
    archives_note_other_board(r->app, r->archive);
    return EXIT_DONE;
}

static int check_plain(struct restore *r)
{
    if (!r->from_another_board)
        return app_fail(r->app, EXIT_WRONG,
                        "Nothing was changed. If it may go onto this board, say "
                        "--from-another-board.",
                        "%s is a plain binary: it does not say which board it comes from", r->path);
    if (r->plain->length == r->app->session.board.capacity)
        return EXIT_DONE;
    g_autofree char *size = units_flash_size(r->app->session.board.capacity);
    return app_fail(r->app, EXIT_WRONG,
                    "Nothing was changed. To put a part back, use 'wrytograph write OFFSET=FILE'.",
                    "%s has %" G_GUINT64_FORMAT " bytes, the flash of this board %s", r->path,
                    r->plain->length, size);
}

static int make_plan(struct restore *r)
{
    struct wry_fault fault;

    for (guint i = 0; r->archive && i < r->archive->ranges->len; i++) {
        struct wry_placement item =
            archives_placement(&g_array_index(r->archive->ranges, struct archive_range, i));
        g_array_append_val(r->items, item);
    }
    if (r->plain) {
        struct wry_placement item = {.length = (uint32_t)r->plain->length,
                                     .reader = {.context = r->plain, .read = read_plain}};
        g_array_append_val(r->items, item);
    }
    if (wry_plan_init(&r->plan, (struct wry_placement *)(void *)r->items->data, r->items->len,
                      r->app->session.board.capacity, &fault) == WRY_OK)
        return EXIT_DONE;
    return app_fail(r->app, EXIT_BAD_INPUT, "Nothing was changed.",
                    "%s: a range at 0x%06X does not fit", r->path, (unsigned)fault.offset);
}

static void announce(struct restore *r)
{
    g_autofree char *board = link_describe(r->app);
    g_autofree char *total = units_bytes(wry_plan_total(&r->plan));

    app_note(r->app, "Board %s", board);
    if (r->archive)
        app_note(r->app, "%s restore %s from %s, made %s by %s.",
                 r->app->dry_run ? "Would" : "Going to", total, r->path, r->archive->created,
                 r->archive->tool);
    else
        app_note(r->app, "%s restore %s from %s.", r->app->dry_run ? "Would" : "Going to", total,
                 r->path);
}

static int restore(struct restore *r)
{
    struct app *app = r->app;
    const struct wry_session_stats *stats = wry_session_stats(&app->session);
    int code = keeping_settle(app);
    uint64_t begun = app->port->now(app->port->context);

    if (code != EXIT_DONE)
        return code;
    app->bar = bar_begin("Restoring", WRY_STEP_WRITE, begun);
    enum wry_status status = wry_session_write(&app->session, &r->plan);
    bar_end(app->bar);
    app->bar = NULL;
    double seconds = (double)(app->port->now(app->port->context) - begun) / 1e6;
    if (status != WRY_OK)
        return app_fail_session(app, status);
    g_autofree char *total = units_bytes(wry_plan_total(&r->plan));
    g_autofree char *duration = app_duration(app, seconds);
    app_outcome(
        app, true,
        "Restored, and checked by the board's SHA-256: %s; %u sector%s written, %u %s right "
        "already, %s.",
        total, (unsigned)stats->sectors_written, stats->sectors_written == 1 ? "" : "s",
        (unsigned)stats->sectors_left, stats->sectors_left == 1 ? "was" : "were", duration);
    app_json_number(app, "sectors_written", stats->sectors_written);
    app_json_number(app, "sectors_left", stats->sectors_left);
    return EXIT_DONE;
}

static int run(struct restore *r)
{
    struct app *app = r->app;

    if (!app->rest[0] || app->rest[1])
        return app_fail(app, EXIT_USAGE, "Such as 'wrytograph restore gauge-1.zip'.",
                        "give one archive to restore");
    r->path = app->rest[0];
    app->settles = !app->dry_run;
    int code = open_source(r);
    if (code == EXIT_DONE)
        code = link_connect(app);
    if (code == EXIT_DONE)
        code = r->archive ? check_archive(r) : check_plain(r);
    if (code == EXIT_DONE)
        code = make_plan(r);
    if (code != EXIT_DONE)
        return code;
    announce(r);
    if (!app->dry_run)
        return restore(r);
    app_print(app, "Nothing was restored (--dry-run).");
    return EXIT_DONE;
}

int verb_restore(struct app *app, int argc, char **argv)
{
    struct restore r = {.app = app};
    GOptionEntry entries[] = {{"from-another-board", 0, 0, G_OPTION_ARG_NONE, &r.from_another_board,
                               "Allow another board's backup, or a plain binary of unknown origin",
                               NULL},
                              G_OPTION_ENTRY_NULL};

    if (!app_parse(app, argc, argv, APP_LINK | APP_DRY_RUN | APP_EVERY, entries, "ARCHIVE",
                   "Puts a backup back onto the board it comes from. The archive's digests, chip,\n"
                   "flash size and board address are checked before anything is changed; sectors\n"
                   "that are right already are left alone."))
        return app->code;
    r.items = g_array_new(FALSE, FALSE, sizeof(struct wry_placement));
    int code = run(&r);
    g_array_free(r.items, TRUE);
    archive_free(r.archive);
    image_file_free(r.plain);
    return code;
}
