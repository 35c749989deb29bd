/* The known backups of a board. */
#include "jobs/plan/backup_records.h"

#include <string.h>

#include "base/folders.h"
#include "jobs/plan/placement_rules.h"
#include "jobs/station/link.h"
#include "store/shelf/backups.h"

char *backup_records_folder(const struct wry_station *station)
{
    char *named = folders_named("WRYTOGRAPH_BACKUPS");
    g_autofree char *board = station->bench ? open_bench_board_folder(station) : NULL;
    g_autofree char *bench = board ? g_path_get_dirname(board) : NULL;

    if (named)
        return named;
    return bench ? g_build_filename(bench, "backups", NULL) : backups_default_folder();
}

/* Simulated boards have a separate record, in their bench folder. */
static struct backups *open_record(const struct wry_station *station, GError **error)
{
    g_autofree char *board = station->bench ? open_bench_board_folder(station) : NULL;
    g_autofree char *record = board ? g_path_get_dirname(board) : folders_state();
    g_autofree char *folder = backup_records_folder(station);

    return backups_open(record, folder, station->settings.stop, error);
}

static void tell_progress(void *context, unsigned done, unsigned total)
{
    g_autofree char *text = g_strdup_printf("%u of %u", done, total);

    station_note(context, WRY_NOTE_BACKUPS_READ, text);
}

static bool scan(struct wry_station *station, struct backups *backups, GError **error)
{
    const struct backups_progress progress = {station, tell_progress};

    return backups_scan(backups, station->settings.stop, &progress, error);
}

bool backup_records_find(struct wry_station *station, struct backups_found *found, GError **error)
{
    const struct wry_hello_reply *board = wry_session_board(&station->session);
    struct backups *backups = open_record(station, error);
    bool read = backups && scan(station, backups, error) &&
                backups_find(backups, board->eui48, board->capacity, found, error);

    if (!read)
        *found = (struct backups_found){0};
    backups_close(backups);
    return read;
}

struct wry_problem *backup_records_require(struct wry_station *station)
{
    struct backups_found found;
    GError *error = NULL;
    bool read = backup_records_find(station, &found, &error);
    bool whole = found.whole;
    struct wry_problem *problem = NULL;

    /* A search that was stopped proves nothing. */
    if (read && !whole && station_stopped(station)) {
        problem = problem_new(WRY_OUTCOME_STOPPED, WRY_PROBLEM_STOPPED, NULL);
    } else if (!read) {
        problem = problem_of_cause(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_BACKUPS_UNREAD, error);
    } else if (!whole) {
        problem = problem_new(WRY_OUTCOME_WRONG, WRY_PROBLEM_NO_BACKUP, NULL);
        problem->other = g_strdup(found.path);
        memcpy(problem->address, wry_session_board(&station->session)->eui48,
               sizeof problem->address);
    }
    g_free(found.path);
    g_free(found.created);
    return problem;
}

struct wry_problem *backup_records_each(struct wry_station *station,
                                        bool (*take)(void *context, const char *path),
                                        void *context)
{
    const struct wry_hello_reply *board = wry_session_board(&station->session);
    GError *error = NULL;
    struct backups *backups = open_record(station, &error);
    bool read = backups && scan(station, backups, &error) &&
                backups_each(backups, board->eui48, board->capacity, take, context, &error);

    backups_close(backups);
    if (read && station_stopped(station))
        return problem_new(WRY_OUTCOME_STOPPED, WRY_PROBLEM_STOPPED, NULL);
    if (read)
        return NULL;
    return problem_of_cause(WRY_OUTCOME_BAD_INPUT, WRY_PROBLEM_BACKUPS_UNREAD, error);
}

void backup_records_note(struct wry_station *station, const char *path,
                         const struct archive *archive)
{
    g_autoptr(GError) error = NULL;
    struct backups *backups = open_record(station, &error);

    if (!backups || !backups_note(backups, path, archive, &error))
        station_note(station, WRY_NOTE_BACKUP_UNNOTED, error->message);
    backups_close(backups);
}

/* The digest of a region as it would be: the file's content, then blank. False if the file lacks a
 * part of it that is not blank. */
static bool digest_region(const struct image_file *file, uint32_t base, bool rest_is_blank,
                          const struct wry_region *region, uint8_t sha256[WRY_SHA256_SIZE])
{
    uint32_t start = region->offset - base, n = region->length;
    uint8_t piece[4096];
    struct wry_sha256 sha;

    if (region->offset < base)
        return false;
    while (n > 0 && rest_is_blank && !image_file_has(file, start, n))
        n--;
    bool read = n > 0 && image_file_has(file, start, n);
    wry_sha256_begin(&sha);
    for (uint32_t at = 0; at < region->length && read; at += (uint32_t)sizeof piece) {
        uint32_t left = at < n ? MIN(n - at, (uint32_t)sizeof piece) : 0;
        memset(piece, 0xFF, sizeof piece);
        read = left == 0 || image_file_read(file, start + at, piece, left);
        wry_sha256_add(&sha, piece, sizeof piece);
    }
    wry_sha256_end(&sha, sha256);
    return read;
}

bool backup_records_find_owner(struct wry_station *station, const struct image_file *file,
                               uint32_t base, bool rest_is_blank,
                               const struct wry_region_table *layout, struct settings_owner *owner)
{
    const uint8_t *ours = wry_session_board(&station->session)->eui48;
    g_autoptr(GError) error = NULL;
    struct backups *backups = NULL;
    uint8_t sha256[WRY_SHA256_SIZE];
    bool known = false;

    for (uint32_t i = 0; i < layout->count && !known; i++) {
        owner->region = layout->regions[i];
        if (owner->region.kind != WRY_REGION_SETTINGS ||
            !digest_region(file, base, rest_is_blank, &owner->region, sha256))
            continue;
        if (!backups)
            backups = open_record(station, &error);
        if (!backups || !backups_owner(backups, sha256, &known, owner->eui48, &error)) {
            /* The owner cannot be determined: that does not prevent a write. */
            station_note(station, WRY_NOTE_OWNER_UNKNOWN, error->message);
            break;
        }
        known = known && memcmp(owner->eui48, ours, sizeof owner->eui48) != 0;
    }
    backups_close(backups);
    return known;
}

struct wry_problem *backup_records_check_origin(struct wry_station *station,
                                                const struct image *image,
                                                const struct wry_region_table *layout)
{
    const uint8_t *ours = wry_session_board(&station->session)->eui48;
    struct settings_owner owner;

    if (!backup_records_find_owner(station, image->file, image->facts.base,
                                   image->facts.rest_length > 0, layout, &owner))
        return NULL;
    struct wry_problem *problem =
        placement_fail(WRY_PROBLEM_FOREIGN_SETTINGS, image, &owner.region);
    memcpy(problem->address, owner.eui48, sizeof owner.eui48);
    memcpy(problem->found_address, ours, sizeof owner.eui48);
    return problem;
}
