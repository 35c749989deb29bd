/* The record of backups, in SQLite. */
#include "store/shelf/backups.h"

#include <sys/stat.h>

#include "base/folder_names.h"
#include "base/folders.h"
#include "store/archive/archive.h"
#include "store/db/database.h"
#include "store/file/error.h"
#include "wrytograph-host/units.h"

#define FIRST_TOLD 1000000 /* us of a scan without a word */
#define THEN_TOLD 5000000
#define BATCH_TIME 200000 /* us: others wait a second for the record */

struct backups {
    sqlite3 *db;
    char *folder;
    int64_t batch; /* us: when the open transaction of a scan was begun; 0 = there is none */
};

static const char *const steps[] = {
    "CREATE TABLE IF NOT EXISTS backup ("
    " path TEXT PRIMARY KEY, address TEXT NOT NULL, flash INTEGER NOT NULL, whole INTEGER NOT NULL,"
    " created TEXT NOT NULL, size INTEGER NOT NULL, changed INTEGER NOT NULL) WITHOUT ROWID;"
    "CREATE INDEX IF NOT EXISTS backup_address ON backup (address);"
    "CREATE TABLE IF NOT EXISTS calibration ("
    " sha256 BLOB NOT NULL, address TEXT NOT NULL, PRIMARY KEY (sha256, address)) WITHOUT ROWID;",
    NULL,
};

static const struct database_kind schema = {.steps = steps, .busy = 1000};

char *backups_default_folder(void)
{
    char *named = folders_named("WRYTOGRAPH_BACKUPS");

    return named ? named : folders_user(FOLDER_DATA, "backups");
}

struct backups *backups_open(const char *record_folder, const char *folder, struct wry_stop stop,
                             GError **error)
{
    g_autofree char *path = g_build_filename(record_folder, "backups.db", NULL);
    sqlite3 *db = database_open(path, &schema, stop, error);
    struct backups *backups;

    if (!db)
        return NULL;
    backups = g_new0(struct backups, 1);
    backups->db = db;
    backups->folder = g_strdup(folder);
    return backups;
}

void backups_close(struct backups *backups)
{
    if (!backups)
        return;
    sqlite3_close(backups->db);
    g_free(backups->folder);
    g_free(backups);
}

static bool is_whole(const struct archive *archive)
{
    uint64_t covered = 0;

    for (guint i = 0; i < archive->ranges->len; i++)
        covered += g_array_index(archive->ranges, struct archive_range, i).length;
    return covered == archive->flash_size;
}

static bool note_calibration(struct backups *backups, const char *address, const uint8_t *sha256,
                             GError **error)
{
    sqlite3_stmt *s =
        database_prepare(backups->db, "INSERT OR IGNORE INTO calibration VALUES (?1, ?2)", error);

    if (!s)
        return false;
    sqlite3_bind_blob(s, 1, sha256, WRY_SHA256_SIZE, SQLITE_STATIC);
    sqlite3_bind_text(s, 2, address, -1, SQLITE_STATIC);
    return database_run(backups->db, s, error);
}

/* Digest of a region's content; false if it is blank or not in the range. */
static bool digest_region(const struct archive_range *range, const struct wry_region *region,
                          uint8_t sha256[WRY_SHA256_SIZE])
{
    uint8_t piece[4096];
    struct wry_sha256 sha;
    bool blank = true, read = true;

    if (region->offset < range->offset || region->length > range->length ||
        region->offset - range->offset > range->length - region->length)
        return false;
    wry_sha256_begin(&sha);
    for (uint32_t at = 0; at < region->length && read; at += sizeof piece) {
        read = archive_range_read(range, region->offset - range->offset + at, piece, sizeof piece);
        blank = blank && wry_bytes_blank(piece, sizeof piece);
        wry_sha256_add(&sha, piece, sizeof piece);
    }
    wry_sha256_end(&sha, sha256);
    return read && !blank;
}

static bool note_calibrations(struct backups *backups, const char *address,
                              const struct archive *archive, GError **error)
{
    uint8_t sha256[WRY_SHA256_SIZE];

    for (uint32_t i = 0; i < archive->layout.count; i++) {
        const struct wry_region *region = &archive->layout.regions[i];
        for (guint k = 0; region->kind == WRY_REGION_SETTINGS && k < archive->ranges->len; k++) {
            if (digest_region(&g_array_index(archive->ranges, struct archive_range, k), region,
                              sha256) &&
                !note_calibration(backups, address, sha256, error))
                return false;
        }
    }
    return true;
}

bool backups_note(struct backups *backups, const char *path, const struct archive *archive,
                  GError **error)
{
    g_autofree char *full = g_canonicalize_filename(path, NULL);
    g_autofree char *address = wry_units_address(archive->eui48);
    struct stat info = {0};
    sqlite3_stmt *s = database_prepare(
        backups->db, "INSERT OR REPLACE INTO backup VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7)", error);

    if (!s)
        return false;
    if (stat(full, &info) != 0) {
        sqlite3_finalize(s);
        return store_file_error(error, full);
    }
    sqlite3_bind_text(s, 1, full, -1, SQLITE_STATIC);
    sqlite3_bind_text(s, 2, address, -1, SQLITE_STATIC);
    sqlite3_bind_int64(s, 3, archive->flash_size);
    sqlite3_bind_int(s, 4, is_whole(archive));
    sqlite3_bind_text(s, 5, archive->created ? archive->created : "", -1, SQLITE_STATIC);
    sqlite3_bind_int64(s, 6, info.st_size);
    sqlite3_bind_int64(s, 7, info.st_mtime);
    return database_run(backups->db, s, error) &&
           note_calibrations(backups, address, archive, error);
}

/* True if the record matches the current file. */
static bool is_noted(struct backups *backups, const char *path, const struct stat *info,
                     bool *noted, GError **error)
{
    sqlite3_stmt *s = database_prepare(
        backups->db, "SELECT 1 FROM backup WHERE path = ?1 AND size = ?2 AND changed = ?3", error);

    if (!s)
        return false;
    sqlite3_bind_text(s, 1, path, -1, SQLITE_STATIC);
    sqlite3_bind_int64(s, 2, info->st_size);
    sqlite3_bind_int64(s, 3, info->st_mtime);
    int code = sqlite3_step(s);
    *noted = code == SQLITE_ROW;
    bool read = *noted || code == SQLITE_DONE || database_fail(backups->db, error);
    sqlite3_finalize(s);
    return read;
}

static bool begin_batch(struct backups *backups, GError **error)
{
    if (backups->batch > 0)
        return true;
    backups->batch = g_get_monotonic_time();
    return database_execute(backups->db, "BEGIN IMMEDIATE", error);
}

/* A commit for each of thousands of files would take seconds. */
static bool end_batch(struct backups *backups, GError **error)
{
    bool open = backups->batch > 0;

    backups->batch = 0;
    return !open || database_execute(backups->db, "COMMIT", error);
}

static bool take_in(struct backups *backups, const char *path, GError **error)
{
    struct stat info;
    bool noted = false;

    if (stat(path, &info) != 0 || !S_ISREG(info.st_mode))
        return true;
    if (!is_noted(backups, path, &info, &noted, error))
        return false;
    struct archive *archive = noted || !archive_is_one(path) ? NULL : archive_open(path, NULL);
    bool done =
        !archive || (begin_batch(backups, error) && backups_note(backups, path, archive, error));
    archive_close(archive);
    if (done && backups->batch > 0 && g_get_monotonic_time() - backups->batch > BATCH_TIME)
        done = end_batch(backups, error);
    return done;
}

bool backups_scan(struct backups *backups, struct wry_stop stop,
                  const struct backups_progress *progress, GError **error)
{
    g_auto(GStrv) names = folder_names(backups->folder, NULL);
    int64_t next = g_get_monotonic_time() + FIRST_TOLD;
    bool done = true;

    /* A missing folder holds no backups; any other failure is an error. */
    if (!names && g_file_test(backups->folder, G_FILE_TEST_EXISTS))
        return store_error(error, WRY_STORE_ERROR_FILE, "%s: cannot be read", backups->folder);
    for (char **name = names; name && *name && done && !wry_stop_asked(stop); name++) {
        g_autofree char *joined = g_build_filename(backups->folder, *name, NULL);
        g_autofree char *path = g_canonicalize_filename(joined, NULL);
        if (g_str_has_suffix(*name, ".zip") && *name[0] != '.')
            done = take_in(backups, path, error);
        if (progress && g_get_monotonic_time() >= next) {
            progress->tell(progress->context, (unsigned)(name - names) + 1, g_strv_length(names));
            next = g_get_monotonic_time() + THEN_TOLD;
        }
    }
    done = done && end_batch(backups, error);
    database_rollback(backups->db);
    backups->batch = 0;
    return done;
}

bool backups_each(struct backups *backups, const uint8_t eui48[WRY_EUI48_SIZE], uint32_t flash_size,
                  bool (*take)(void *context, const char *path), void *context, GError **error)
{
    g_autofree char *address = wry_units_address(eui48);
    sqlite3_stmt *s = database_prepare(backups->db,
                                       "SELECT path FROM backup WHERE address = ?1 AND flash = ?2 "
                                       "ORDER BY whole DESC, created DESC",
                                       error);
    int code = SQLITE_ERROR;
    bool more = true;

    if (!s)
        return false;
    sqlite3_bind_text(s, 1, address, -1, SQLITE_STATIC);
    sqlite3_bind_int64(s, 2, flash_size);
    while (more && (code = sqlite3_step(s)) == SQLITE_ROW) {
        const char *path = (const char *)sqlite3_column_text(s, 0);
        if (path && g_file_test(path, G_FILE_TEST_IS_REGULAR))
            more = take(context, path);
    }
    bool read = !more || code == SQLITE_DONE || database_fail(backups->db, error);
    sqlite3_finalize(s);
    return read;
}

bool backups_find(struct backups *backups, const uint8_t eui48[WRY_EUI48_SIZE], uint32_t flash_size,
                  struct backups_found *found, GError **error)
{
    g_autofree char *address = wry_units_address(eui48);
    sqlite3_stmt *s = database_prepare(backups->db,
                                       "SELECT path, whole, created FROM backup WHERE address = ?1 "
                                       "AND flash = ?2 ORDER BY whole DESC, "
                                       "created > strftime('%Y-%m-%dT%H:%M:%SZ', 'now', '+1 day'), "
                                       "created DESC",
                                       error);
    int code = SQLITE_DONE;

    *found = (struct backups_found){0};
    if (!s)
        return false;
    sqlite3_bind_text(s, 1, address, -1, SQLITE_STATIC);
    sqlite3_bind_int64(s, 2, flash_size);
    while (!found->any && (code = sqlite3_step(s)) == SQLITE_ROW) {
        const char *path = (const char *)sqlite3_column_text(s, 0);
        if (!path || !g_file_test(path, G_FILE_TEST_IS_REGULAR))
            continue;
        found->any = true;
        found->whole = sqlite3_column_int(s, 1) != 0;
        found->path = g_strdup(path);
        const char *created = (const char *)sqlite3_column_text(s, 2);
        found->created = g_utf8_make_valid(created ? created : "", -1);
    }
    bool read = found->any || code == SQLITE_DONE || database_fail(backups->db, error);
    sqlite3_finalize(s);
    return read;
}

static bool parse_address(const char *text, uint8_t eui48[WRY_EUI48_SIZE])
{
    for (size_t i = 0; i < WRY_EUI48_SIZE; i++, text += 2 + (*text != '\0' && text[2] == ':')) {
        if (!g_ascii_isxdigit(text[0]) || !g_ascii_isxdigit(text[1]))
            return false;
        eui48[i] = (uint8_t)(g_ascii_xdigit_value(text[0]) << 4 | g_ascii_xdigit_value(text[1]));
    }
    return true;
}

bool backups_owner(struct backups *backups, const uint8_t sha256[WRY_SHA256_SIZE], bool *known,
                   uint8_t eui48[WRY_EUI48_SIZE], GError **error)
{
    sqlite3_stmt *s = database_prepare(
        backups->db, "SELECT address FROM calibration WHERE sha256 = ?1 LIMIT 2", error);
    int rows = 0, code = SQLITE_DONE;

    *known = false;
    if (!s)
        return false;
    sqlite3_bind_blob(s, 1, sha256, WRY_SHA256_SIZE, SQLITE_STATIC);
    while ((code = sqlite3_step(s)) == SQLITE_ROW) {
        rows++;
        const char *text = (const char *)sqlite3_column_text(s, 0);
        *known = text && parse_address(text, eui48) && rows == 1;
    }
    bool read = code == SQLITE_DONE || database_fail(backups->db, error);
    sqlite3_finalize(s);
    return read;
}
