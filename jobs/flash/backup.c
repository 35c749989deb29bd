/*
 * Backup: reads the flash into an archive of this board.
 *
 * The file appears under its name only when every range matches the board's SHA-256. If known
 * content was used and the digests differ, everything is read again without it.
 */
#include <string.h>

#include "base/sized.h"
#include "jobs/flash/archives.h"
#include "jobs/flash/incremental_read.h"
#include "jobs/plan/backup_records.h"
#include "jobs/station/figure.h"
#include "jobs/station/known_content.h"
#include "jobs/station/recovery.h"
#include "jobs/station/regions.h"
#include "jobs/station/run_record.h"
#include "jobs/station/station_board.h"
#include "jobs/station/write_common.h"
#include "store/file/error.h"
#include "store/file/spool.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph/version.h"

enum {
    PIECE = 16384,
};

struct backup {
    struct wry_station *station;
    const struct wry_backup_options *options;
    struct archive *archive;
    struct archive *older; /* NULL = none */
    uint64_t from_older;   /* bytes taken from the older archive */
    uint64_t disbelieved;  /* bytes that were known, but wrongly, and were read after all */
    uint32_t guesses_wrong;
    char *path; /* path of the file */
};

static bool keep(void *context, uint32_t offset, const uint8_t *bytes, size_t n)
{
    return spool_gather_put(context, offset, bytes, n);
}

static int by_offset(const void *a, const void *b)
{
    const struct archive_range *x = a, *y = b;

    return x->offset < y->offset ? -1 : x->offset > y->offset;
}

static struct wry_problem *choose_ranges(struct backup *backup, const struct target *target)
{
    static const char *const whole[] = {"all", NULL};
    const char *const *parts = backup->options->parts ? backup->options->parts : whole;
    GArray *ranges = backup->archive->ranges;
    uint32_t end = 0;

    for (; *parts; parts++) {
        struct archive_range range = {.archive = backup->archive};
        struct wry_problem *problem =
            regions_parse_part(target, *parts, &range.offset, &range.length);
        if (problem)
            return problem;
        g_array_append_val(ranges, range);
    }
    g_array_sort(ranges, by_offset);
    for (guint i = 0; i < ranges->len; i++) {
        const struct archive_range *range = &g_array_index(ranges, struct archive_range, i);
        if (range->offset < end)
            return PROBLEM(WRY_OUTCOME_USAGE, WRY_PROBLEM_PARTS_SHARE, NULL, .start = range->offset,
                           .last = MIN(end, range->offset + range->length) - 1);
        end = range->offset + range->length;
    }
    return NULL;
}

static struct wry_problem *read_range(struct backup *backup, struct archive_range *range)
{
    struct wry_station *station = backup->station;
    uint64_t known_before = station->session.stats.bytes_known;
    struct spool_gather gather = {.spool = backup->archive->content};
    struct wry_writer writer = {.context = &gather, .write = keep};
    uint8_t ours[WRY_SHA256_SIZE];
    enum wry_status status = backup->older
                                 ? incremental_read(&station->session, backup->older, range,
                                                    &writer, &backup->from_older)
                                 : wry_session_back_up(&station->session, range->offset,
                                                       range->length, &writer, range->sha256);

    if (status == WRY_SINK_FAILED || (status == WRY_OK && !spool_gather_end(&gather)))
        return problem_new(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_NO_ROOM, NULL);
    if (status != WRY_OK)
        return problem_of_session(station, status);
    if (archive_range_digest(range, ours) && memcmp(ours, range->sha256, sizeof ours) == 0)
        return NULL;
    if (station->session.stats.bytes_known > known_before) {
        /* Known content was wrong: reads all of it. */
        backup->disbelieved += station->session.stats.bytes_known - known_before;
        backup->guesses_wrong++;
        known_content_stop(station);
        return read_range(backup, range);
    }
    return PROBLEM(WRY_OUTCOME_DIFFERS, WRY_PROBLEM_ARRIVED_WRONG, NULL, .start = range->offset);
}

static uint64_t bytes_of(const struct archive *archive)
{
    uint64_t bytes = 0;

    for (guint i = 0; i < archive->ranges->len; i++)
        bytes += g_array_index(archive->ranges, struct archive_range, i).length;
    return bytes;
}

static struct wry_problem *read_all(struct backup *backup)
{
    struct wry_problem *problem = NULL;

    known_content_begin(backup->station);
    station_step(backup->station, WRY_PHASE_READ);
    figure_total(backup->station, bytes_of(backup->archive));
    for (guint i = 0; i < backup->archive->ranges->len && !problem; i++) {
        struct archive_range *range =
            &g_array_index(backup->archive->ranges, struct archive_range, i);
        problem = read_range(backup, range);
        figure_done(backup->station, range->length);
    }
    station_step_end(backup->station, WRY_PHASE_READ);
    return problem;
}

static void describe_board(struct backup *backup)
{
    struct archive *archive = backup->archive;
    const struct wry_hello_reply *board = wry_session_board(&backup->station->session);
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();

    memcpy(archive->eui48, board->eui48, sizeof archive->eui48);
    memcpy(archive->jedec, board->jedec, sizeof archive->jedec);
    archive->chip_code = board->chip_code;
    archive->chip_revision = board->chip_revision;
    archive->flash_size = board->capacity;
    archive->created = g_date_time_format(now, "%Y-%m-%dT%H:%M:%SZ");
    archive->tool = g_strdup("wrytograph " WRY_VERSION_TEXT);
}

static gboolean save_plain(const struct archive *archive, const char *path)
{
    const struct archive_range *range = &g_array_index(archive->ranges, struct archive_range, 0);
    uint8_t piece[PIECE];
    FILE *file = fopen(path, "wb");
    gboolean saved = file != NULL;

    for (uint32_t at = 0; saved && at < range->length;) {
        uint32_t n = MIN(range->length - at, (uint32_t)sizeof piece);
        saved = archive_range_read(range, at, piece, n) && fwrite(piece, 1, n, file) == n;
        at += n;
    }
    return file && fclose(file) == 0 && saved;
}

static struct wry_problem *save(struct backup *backup, struct wry_atomic_file *file)
{
    const char *path = wry_atomic_file_path(file);
    GError *error = NULL;
    bool plain = backup->options->plain;

    if (plain ? save_plain(backup->archive, path) : archive_write(backup->archive, path, &error))
        return wry_atomic_file_commit(file, &error) ? NULL : problem_of_error(error);
    wry_atomic_file_abandon(file);
    return plain ? problem_new(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_NO_ROOM, NULL)
                 : problem_of_error(error);
}

static struct wry_problem *check_older(struct backup *backup)
{
    const char *path = backup->options->older;

    if (!backup->older)
        return NULL;
    struct wry_problem *problem = archives_check_flash(backup->station, backup->older, path);
    if (!problem && !archives_same_board(backup->station, backup->older))
        return archives_fail_board(backup->station, WRY_PROBLEM_OLDER_BOARD, backup->older, path);
    return problem;
}

static struct wry_problem *connect_and_choose(struct backup *backup)
{
    struct wry_station *station = backup->station;
    struct target target;
    struct wry_problem *problem = board_connect(station, true);

    if (!problem)
        problem = regions_of_board(station, &target);
    if (!problem)
        problem = choose_ranges(backup, &target);
    if (!problem)
        problem = check_older(backup);
    if (!problem && backup->options->plain && backup->archive->ranges->len > 1)
        problem = problem_new(WRY_OUTCOME_USAGE, WRY_PROBLEM_PLAIN_PARTS, NULL);
    if (problem)
        return problem;
    backup->archive->layout = target.layout.table;
    return recovery_settle(station);
}

static struct wry_problem *open_older(struct backup *backup)
{
    GError *error = NULL;

    if (!backup->options->older)
        return NULL;
    backup->older = archive_open(backup->options->older, &error);
    return backup->older ? NULL : problem_of_error(error);
}

/* Writes the file, which gets its name at the end. */
static struct wry_problem *fill(struct backup *backup, struct wry_atomic_file *file,
                                const struct write_common *work, struct wry_done *done)
{
    GError *error = NULL;

    backup->archive->content = spool_new(wry_atomic_file_folder(file), &error);
    struct wry_problem *problem =
        backup->archive->content ? connect_and_choose(backup) : problem_of_error(error);
    if (!problem)
        problem = read_all(backup);
    if (problem) {
        wry_atomic_file_abandon(file);
        return problem;
    }
    *done = write_common_done(work);
    known_content_tell(backup->station, &work->before, done);
    done->bytes_known -= backup->disbelieved;
    done->guesses_wrong += backup->guesses_wrong;
    describe_board(backup);
    return save(backup, file);
}

/* Names it by the board's address and the time, in the folder of backups. */
static struct wry_problem *choose_name(struct backup *backup)
{
    struct wry_station *station = backup->station;
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();
    g_autofree char *time = g_date_time_format(now, "%Y%m%dT%H%M%SZ");
    GError *error = NULL;

    if (backup->options->file) {
        backup->path = g_strdup(backup->options->file);
        return NULL;
    }
    struct wry_problem *problem = board_connect(station, true);
    if (problem)
        return problem;
    g_autofree char *folder = backup->options->folder ? g_strdup(backup->options->folder)
                                                      : backup_records_folder(station);
    if (g_mkdir_with_parents(folder, 0700) != 0) {
        store_file_error(&error, folder);
        return problem_of_error(error);
    }
    const uint8_t *e = wry_session_board(&station->session)->eui48;
    /* A backup made in the same second keeps its name. */
    for (unsigned n = 1; n == 1 || g_file_test(backup->path, G_FILE_TEST_EXISTS); n++) {
        g_autofree char *more = n > 1 ? g_strdup_printf("-%u", n) : g_strdup("");
        g_autofree char *name =
            g_strdup_printf("%02X%02X%02X%02X%02X%02X-%s%s.%s", e[0], e[1], e[2], e[3], e[4], e[5],
                            time, more, backup->options->plain ? "bin" : "zip");
        g_free(backup->path);
        backup->path = g_build_filename(folder, name, NULL);
    }
    return NULL;
}

static struct wry_problem *back_up(struct backup *backup, struct wry_backup_result *result)
{
    GError *error = NULL;
    struct write_common work;

    write_common_begin(&work, backup->station);
    if (!backup->options->plain && !archive_can_write(&error))
        return problem_of_error(error);
    struct wry_problem *problem = open_older(backup);
    if (problem)
        return problem;
    problem = choose_name(backup);
    if (problem)
        return problem;
    struct wry_atomic_file *file =
        wry_atomic_file_begin(backup->path, backup->options->replace, &error);
    if (!file)
        return problem_of_error(error);
    problem = fill(backup, file, &work, &result->done);
    if (problem)
        return problem;
    if (!backup->options->plain)
        known_content_note_archive(backup->station, backup->path, backup->archive);
    backup_records_note(backup->station, backup->path, backup->archive);
    result->file = g_strdup(backup->path);
    for (guint i = 0; i < backup->archive->ranges->len; i++)
        result->done.bytes +=
            g_array_index(backup->archive->ranges, struct archive_range, i).length;
    memcpy(result->address, backup->archive->eui48, sizeof result->address);
    result->from_older = backup->from_older;
    result->saved = true;
    return NULL;
}

enum wry_outcome wry_station_backup_of(struct wry_station *station,
                                       const struct wry_backup_options *given, size_t size,
                                       struct wry_backup_result *result)
{
    const struct wry_backup_options *options = SIZED(struct wry_backup_options, given, size);
    struct backup backup = {.station = station, .options = options, .archive = archive_new()};

    station_begin_call(station);
    run_record_begin(station, "backup");
    struct wry_problem *problem = back_up(&backup, result);
    if (result->saved) {
        run_record_bytes(station, result->done.bytes);
        run_record_backup(station, result->file);
    }
    run_record_end(station, problem);
    archive_close(backup.archive);
    archive_close(backup.older);
    g_free(backup.path);
    return station_end_call(station, problem);
}

void wry_backup_result_clear(struct wry_backup_result *result)
{
    g_free(result->file);
    *result = (struct wry_backup_result){0};
}
