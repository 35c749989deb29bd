/* backup: the flash into an archive tied to the board. */
#include <string.h>
#include <time.h>

#include "archives.h"
#include "bar.h"
#include "keeping.h"
#include "link.h"
#include "regions.h"
#include "store/pending_file.h"
#include "store/spool.h"
#include "store/units.h"

struct backup_options {
    char **only;
    char *since;
    gboolean plain, replace;
};

struct backup {
    struct app *app;
    struct archive *archive;
    struct archive *older; /* --since; NULL without */
    uint64_t from_older;   /* bytes taken over */
};

static bool keep(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    struct backup *backup = context;

    return spool_write(backup->archive->content, offset, bytes, n);
}

static int by_offset(const void *a, const void *b)
{
    const struct archive_range *x = a, *y = b;

    return x->offset < y->offset ? -1 : x->offset > y->offset;
}

static int choose_ranges(struct backup *backup, char **only)
{
    static char *whole[] = {(char *)"all", NULL};
    struct target target = regions_target(backup->app);
    GArray *ranges = backup->archive->ranges;
    uint32_t end = 0;

    for (char **text = only ? only : whole; *text; text++) {
        struct archive_range range = {.archive = backup->archive};
        int code = regions_parse_range(backup->app, &target, *text, &range.offset, &range.length);
        if (code != EXIT_DONE)
            return code;
        g_array_append_val(ranges, range);
    }
    g_array_sort(ranges, by_offset);
    for (guint i = 0; i < ranges->len; i++) {
        const struct archive_range *range = &g_array_index(ranges, struct archive_range, i);
        if (range->offset < end)
            return app_fail(backup->app, EXIT_USAGE, "Name each part once.",
                            "two of the parts named by --only overlap at 0x%06X",
                            (unsigned)range->offset);
        end = range->offset + range->length;
    }
    return EXIT_DONE;
}

/* The range of the older archive that holds this sector whole. */
static const struct archive_range *older_range(const struct backup *backup, uint32_t offset)
{
    const GArray *ranges = backup->older->ranges;

    for (guint i = 0; i < ranges->len; i++) {
        const struct archive_range *range = &g_array_index(ranges, struct archive_range, i);
        if (offset >= range->offset &&
            offset + WRY_SECTOR_SIZE <= range->offset + (uint64_t)range->length)
            return range;
    }
    return NULL;
}

/* Takes a sector over when the board's digest is that of the older content. */
static bool take_over(struct backup *backup, uint32_t offset, uint64_t sum)
{
    const struct archive_range *range = older_range(backup, offset);
    uint8_t sector[WRY_SECTOR_SIZE];
    struct wry_sha256 sha;

    if (!range || !archive_range_read(range, offset - range->offset, sector, sizeof sector))
        return false;
    wry_sha256_begin(&sha);
    wry_sha256_add(&sha, sector, sizeof sector);
    if (wry_sha256_end_short(&sha) != sum)
        return false;
    backup->from_older += sizeof sector;
    return spool_write(backup->archive->content, offset, sector, sizeof sector);
}

static enum wry_status read_stretch(struct backup *backup, uint32_t start, uint32_t end)
{
    struct wry_writer writer = {.context = backup, .write = keep};

    return end > start ? wry_session_read(&backup->app->session, start, end - start, &writer)
                       : WRY_OK;
}

/* Sectors that changed are read, stretch by stretch; the others come from the older archive. */
static enum wry_status read_changes(struct backup *backup, uint32_t start, uint32_t end)
{
    uint64_t sums[WRY_SESSION_SUMS_MAX];
    uint32_t unread = start; /* from here to at, sectors have to be read */
    enum wry_status status = WRY_OK;

    for (uint32_t at = start; at < end && status == WRY_OK;) {
        uint32_t count = MIN((end - at) / WRY_SECTOR_SIZE, WRY_SESSION_SUMS_MAX);
        status = wry_session_sector_sums(&backup->app->session, at, count, sums);
        for (uint32_t i = 0; i < count && status == WRY_OK; i++, at += WRY_SECTOR_SIZE) {
            if (!take_over(backup, at, sums[i]))
                continue;
            status = read_stretch(backup, unread, at);
            unread = at + WRY_SECTOR_SIZE;
        }
    }
    return status == WRY_OK ? read_stretch(backup, unread, end) : status;
}

/* With an older archive: whole sectors by their digests, ragged ends by reading. */
static enum wry_status read_since(struct backup *backup, struct archive_range *range)
{
    struct wry_session *session = &backup->app->session;
    uint32_t end = range->offset + range->length;
    uint32_t first = (range->offset + WRY_SECTOR_SIZE - 1) & ~(WRY_SECTOR_SIZE - 1);
    uint32_t last = end & ~(WRY_SECTOR_SIZE - 1);
    enum wry_status status;

    if (first >= last)
        status = read_stretch(backup, range->offset, end);
    else {
        status = read_stretch(backup, range->offset, first);
        if (status == WRY_OK)
            status = read_changes(backup, first, last);
        if (status == WRY_OK)
            status = read_stretch(backup, last, end);
    }
    return status == WRY_OK
               ? wry_session_digest(session, range->offset, range->length, range->sha256)
               : status;
}

static int read_range(struct backup *backup, struct archive_range *range)
{
    struct app *app = backup->app;
    struct wry_writer writer = {.context = backup, .write = keep};
    uint8_t ours[WRY_SHA256_SIZE];
    enum wry_status status = backup->older
                                 ? read_since(backup, range)
                                 : wry_session_back_up(&app->session, range->offset, range->length,
                                                       &writer, range->sha256);

    if (status == WRY_SINK_FAILED)
        return app_fail(app, EXIT_BAD_INPUT, "Make room and run the same command again.",
                        "no room for the backup: the disk is full or a limit is reached");
    if (status != WRY_OK)
        return app_fail_session(app, status);
    if (!archive_range_digest(range, ours) || memcmp(ours, range->sha256, sizeof ours) != 0)
        return app_fail(app, EXIT_DIFFERS, "Run the same command again.",
                        "what arrived from 0x%06X on is not what the board's SHA-256 says",
                        (unsigned)range->offset);
    return EXIT_DONE;
}

static void describe_board(struct backup *backup)
{
    struct archive *archive = backup->archive;
    const struct wry_hello_reply *board = wry_session_board(&backup->app->session);
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();

    memcpy(archive->eui48, board->eui48, sizeof archive->eui48);
    memcpy(archive->jedec, board->jedec, sizeof archive->jedec);
    archive->chip_code = board->chip_code;
    archive->chip_revision = board->chip_revision;
    archive->flash_size = board->capacity;
    archive->layout = backup->app->layout;
    archive->created = g_date_time_format(now, "%Y-%m-%dT%H:%M:%SZ");
    archive->tool = g_strdup("wrytograph " WRY_VERSION);
}

static gboolean save_plain(const struct archive *archive, const char *path, GError **error)
{
    const struct archive_range *range = &g_array_index(archive->ranges, struct archive_range, 0);
    uint8_t piece[16384];
    FILE *file = fopen(path, "wb");
    gboolean saved = file != NULL;

    for (uint32_t at = 0; saved && at < range->length;) {
        uint32_t n = MIN(range->length - at, (uint32_t)sizeof piece);
        saved = archive_range_read(range, at, piece, n) && fwrite(piece, 1, n, file) == n;
        at += n;
    }
    if (file)
        saved = fclose(file) == 0 && saved;
    if (!saved)
        g_set_error(error, G_FILE_ERROR, G_FILE_ERROR_FAILED,
                    "no room for the backup: the disk is full or a limit is reached");
    return saved;
}

static int save(struct backup *backup, struct pending_file *file, bool plain)
{
    GError *error = NULL;
    const char *path = pending_file_path(file);
    gboolean saved = plain ? save_plain(backup->archive, path, &error)
                           : archive_write(backup->archive, path, &error);

    if (!saved) {
        pending_file_abandon(file);
        return app_fail_error(backup->app, error);
    }
    return pending_file_commit(file, &error) ? EXIT_DONE : app_fail_error(backup->app, error);
}

static void print_outcome(struct backup *backup, const char *path, double seconds)
{
    struct app *app = backup->app;
    const GArray *ranges = backup->archive->ranges;
    g_autofree char *address = units_address(backup->archive->eui48);
    g_autofree char *duration = app_duration(app, seconds);
    uint64_t total = 0;

    for (guint i = 0; i < ranges->len; i++)
        total += g_array_index(ranges, struct archive_range, i).length;
    g_autofree char *bytes = units_bytes(total);
    app_outcome(app, true,
                "Backed up, and checked by the board's SHA-256: %s of board %s to %s %s.", bytes,
                address, path, duration);
    if (backup->older) {
        g_autofree char *same = units_bytes(backup->from_older);
        app_note(app, "%s had not changed and came from the older archive.", same);
    }
    app_json_text(app, "address", address);
    app_json_text(app, "file", path);
    app_json_number(app, "bytes", (int64_t)total);
    app_json_number(app, "bytes_from_older", (int64_t)backup->from_older);
    app_json_number(app, "bytes_received",
                    (int64_t)wry_session_stats(&app->session)->bytes_received);
}

static int open_older(struct backup *backup, const char *path)
{
    GError *error = NULL;

    if (!path)
        return EXIT_DONE;
    backup->older = archive_open(path, &error);
    return backup->older ? EXIT_DONE : app_fail_error(backup->app, error);
}

static int check_older(struct backup *backup, const char *path)
{
    if (!backup->older)
        return EXIT_DONE;
    int code = archives_check_flash(backup->app, backup->older, path);
    if (code == EXIT_DONE && !archives_same_board(backup->app, backup->older)) {
        g_autofree char *theirs = units_address(backup->older->eui48);
        g_autofree char *ours = units_address(backup->app->session.board.eui48);
        code = app_fail(backup->app, EXIT_WRONG, "Use a backup of this very board.",
                        "%s comes from board %s, this is %s", path, theirs, ours);
    }
    return code;
}

static int read_all(struct backup *backup)
{
    struct app *app = backup->app;
    int code = EXIT_DONE;

    app->bar = bar_begin("Reading", WRY_STEP_READ, app->port->now(app->port->context));
    for (guint i = 0; i < backup->archive->ranges->len && code == EXIT_DONE; i++)
        code = read_range(backup, &g_array_index(backup->archive->ranges, struct archive_range, i));
    bar_end(app->bar);
    app->bar = NULL;
    return code;
}

static int connect_and_choose(struct backup *backup, const struct backup_options *options)
{
    struct app *app = backup->app;

    app->settles = true;
    int code = link_connect(app);

    if (code != EXIT_DONE)
        return code;
    struct target target = regions_target(app);
    code = regions_load(app, &target);
    if (code == EXIT_DONE)
        code = choose_ranges(backup, options->only);
    if (code == EXIT_DONE)
        code = check_older(backup, options->since);
    if (code == EXIT_DONE && options->plain && backup->archive->ranges->len > 1)
        code = app_fail(app, EXIT_USAGE, "Back the parts up one by one, or without --plain.",
                        "a plain binary holds one part only");
    return code == EXIT_DONE ? keeping_settle(app) : code;
}

static int run(struct backup *backup, const struct backup_options *options)
{
    struct app *app = backup->app;
    const char *path = app->rest[0];
    GError *error = NULL;

    if (!path || app->rest[1])
        return app_fail(app, EXIT_USAGE, "Such as 'wrytograph backup gauge-1.zip'.",
                        "give one file to back up to");
    int code = open_older(backup, options->since);
    if (code != EXIT_DONE)
        return code;
    struct pending_file *file = pending_file_begin(path, options->replace, &error);
    if (!file)
        return app_fail_error(app, error);
    backup->archive->content = spool_new(pending_file_folder(file), &error);
    code =
        backup->archive->content ? connect_and_choose(backup, options) : app_fail_error(app, error);
    if (code == EXIT_DONE)
        code = read_all(backup);
    if (code != EXIT_DONE) {
        pending_file_abandon(file);
        return code;
    }
    double seconds = link_seconds(app);
    describe_board(backup);
    code = save(backup, file, options->plain);
    if (code == EXIT_DONE)
        print_outcome(backup, path, seconds);
    return code;
}

int verb_backup(struct app *app, int argc, char **argv)
{
    struct backup_options options = {0};
    struct backup backup = {.app = app};
    GOptionEntry entries[] = {
        {"only", 0, 0, G_OPTION_ARG_STRING_ARRAY, &options.only,
         "Only this part: a region's name or OFFSET+LENGTH; may be repeated", "PART"},
        {"since", 0, 0, G_OPTION_ARG_FILENAME, &options.since,
         "Read only what changed since this archive; the result is complete", "OLDER"},
        {"plain", 0, 0, G_OPTION_ARG_NONE, &options.plain,
         "Write just the binary, without the board's description", NULL},
        {"replace", 0, 0, G_OPTION_ARG_NONE, &options.replace, "Replace a file of that name", NULL},
        G_OPTION_ENTRY_NULL};
    int code;

    if (app_parse(app, argc, argv, APP_LINK | APP_LAYOUT, entries, "FILE",
                  "Reads the flash into an archive that belongs to this board. The file appears\n"
                  "under its name only when it is complete and its SHA-256 is the board's.")) {
        backup.archive = archive_new();
        code = run(&backup, &options);
        archive_free(backup.archive);
        archive_free(backup.older);
    } else {
        code = app->code;
    }
    g_strfreev(options.only);
    g_free(options.since);
    return code;
}
