/* The shelf: a folder of files, and SQLite. */
#include "shelf_store.h"

#include <glib/gstdio.h>
#include <string.h>

#include "base/digest.h"
#include "base/folders.h"
#include "store/db/database.h"
#include "store/file/error.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph-host/units.h"

struct shelf {
    sqlite3 *db;
    char *folder;
};

static const char *const steps[] = {
    "CREATE TABLE IF NOT EXISTS image ("
    " sha256 BLOB PRIMARY KEY, name TEXT NOT NULL, version TEXT NOT NULL, file TEXT NOT NULL,"
    " added TEXT NOT NULL, size INTEGER NOT NULL, is_table INTEGER NOT NULL,"
    " chip INTEGER NOT NULL, flash INTEGER NOT NULL, kind INTEGER NOT NULL,"
    " only_upgrade INTEGER NOT NULL, body BLOB NOT NULL,"
    " preferred INTEGER NOT NULL DEFAULT 0) WITHOUT ROWID;",
    NULL,
};

static const struct database_kind schema = {.steps = steps, .busy = 1000};

char *shelf_default_folder(void)
{
    char *named = folders_named("WRYTOGRAPH_SHELF");

    return named ? named : folders_user(FOLDER_DATA, "shelf");
}

struct shelf *shelf_open(const char *folder, struct wry_stop stop, GError **error)
{
    g_autofree char *path = g_build_filename(folder, "shelf.db", NULL);
    sqlite3 *db = database_open(path, &schema, stop, error);
    struct shelf *shelf;

    if (!db)
        return NULL;
    shelf = g_new0(struct shelf, 1);
    shelf->db = db;
    shelf->folder = g_strdup(folder);
    return shelf;
}

void shelf_close(struct shelf *shelf)
{
    if (!shelf)
        return;
    sqlite3_close(shelf->db);
    g_free(shelf->folder);
    g_free(shelf);
}

static char *path_of(const struct shelf *shelf, const uint8_t sha256[WRY_SHA256_SIZE])
{
    g_autofree char *digest = wry_units_digest(sha256);
    g_autofree char *name = g_strconcat(digest, ".bin", NULL);

    return g_build_filename(shelf->folder, name, NULL);
}

/* Where the description of an image's settings is, if it has one. */
static char *description_of(const struct shelf *shelf, const uint8_t sha256[WRY_SHA256_SIZE])
{
    g_autofree char *digest = wry_units_digest(sha256);
    g_autofree char *name = g_strconcat(digest, ".settings.yaml", NULL);

    return g_build_filename(shelf->folder, name, NULL);
}

/* Copies a file to the shelf and computes its digest. */
static bool copy(const char *path, const char *to, uint8_t sha256[WRY_SHA256_SIZE], GError **error)
{
    g_autofree char *bytes = NULL;
    gsize n = 0;

    if (!g_file_get_contents(path, &bytes, &n, error))
        return false;
    digest_of(bytes, n, sha256);
    return !to || g_file_set_contents(to, bytes, (gssize)n, error);
}

static bool insert(struct shelf *shelf, const struct wry_shelf_item *item, GError **error)
{
    sqlite3_stmt *s = database_prepare(
        shelf->db,
        "INSERT OR IGNORE INTO image VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, 0)",
        error);

    if (!s)
        return false;
    sqlite3_bind_blob(s, 1, item->sha256, WRY_SHA256_SIZE, SQLITE_STATIC);
    sqlite3_bind_text(s, 2, item->name, -1, SQLITE_STATIC);
    sqlite3_bind_text(s, 3, item->version, -1, SQLITE_STATIC);
    sqlite3_bind_text(s, 4, item->file, -1, SQLITE_STATIC);
    sqlite3_bind_text(s, 5, item->added, -1, SQLITE_STATIC);
    sqlite3_bind_int64(s, 6, (sqlite3_int64)item->size);
    sqlite3_bind_int(s, 7, item->is_table);
    sqlite3_bind_int(s, 8, item->chip_code);
    sqlite3_bind_int64(s, 9, item->flash_size);
    sqlite3_bind_int(s, 10, item->kind);
    sqlite3_bind_int(s, 11, item->only_upgrade);
    sqlite3_bind_blob(s, 12, item->body_sha256, WRY_SHA256_SIZE, SQLITE_STATIC);
    return database_run(shelf->db, s, error);
}

bool shelf_keep(struct shelf *shelf, const char *path, struct wry_shelf_item *item, bool *had,
                GError **error)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_utc();

    if (!copy(path, NULL, item->sha256, error))
        return false;
    item->path = path_of(shelf, item->sha256);
    item->added = g_date_time_format(now, "%Y-%m-%dT%H:%M:%SZ");
    /* The file comes first: a row must not refer to a missing file. */
    struct wry_atomic_file *file = wry_atomic_file_begin(item->path, TRUE, error);
    if (!file)
        return false;
    if (!copy(path, wry_atomic_file_path(file), item->sha256, error)) {
        wry_atomic_file_abandon(file);
        return false;
    }
    if (!wry_atomic_file_commit(file, error) || !insert(shelf, item, error))
        return false;
    *had = sqlite3_changes(shelf->db) == 0;
    return true;
}

static char *text_at(sqlite3_stmt *s, int column)
{
    const char *text = (const char *)sqlite3_column_text(s, column);

    return g_utf8_make_valid(text ? text : "", -1);
}

static void digest_at(sqlite3_stmt *s, int column, uint8_t sha256[WRY_SHA256_SIZE])
{
    if (sqlite3_column_bytes(s, column) == (int)WRY_SHA256_SIZE)
        memcpy(sha256, sqlite3_column_blob(s, column), WRY_SHA256_SIZE);
}

void wry_shelf_item_free(struct wry_shelf_item *item)
{
    if (!item)
        return;
    g_free(item->path);
    g_free(item->name);
    g_free(item->version);
    g_free(item->file);
    g_free(item->added);
    g_free(item->settings_description);
    g_free(item);
}

static struct wry_shelf_item *item_of(const struct shelf *shelf, sqlite3_stmt *s)
{
    struct wry_shelf_item *item = g_new0(struct wry_shelf_item, 1);

    digest_at(s, 0, item->sha256);
    item->name = text_at(s, 1);
    item->version = text_at(s, 2);
    item->file = text_at(s, 3);
    item->added = text_at(s, 4);
    item->size = (uint64_t)sqlite3_column_int64(s, 5);
    item->is_table = sqlite3_column_int(s, 6) != 0;
    item->chip_code = (uint16_t)sqlite3_column_int(s, 7);
    item->flash_size = (uint32_t)sqlite3_column_int64(s, 8);
    item->kind = (uint8_t)sqlite3_column_int(s, 9);
    item->only_upgrade = sqlite3_column_int(s, 10) != 0;
    digest_at(s, 11, item->body_sha256);
    item->preferred = sqlite3_column_int(s, 12) != 0;
    item->path = path_of(shelf, item->sha256);
    g_autofree char *description = description_of(shelf, item->sha256);
    if (g_file_test(description, G_FILE_TEST_EXISTS))
        item->settings_description = g_steal_pointer(&description);
    return item;
}

/* Numbers within a version are compared as numbers: 2.10 is newer than 2.9. */
static int compare_versions(const char *a, const char *b)
{
    while (*a && *b) {
        if (g_ascii_isdigit(*a) && g_ascii_isdigit(*b)) {
            char *a_end, *b_end;
            guint64 x = g_ascii_strtoull(a, &a_end, 10), y = g_ascii_strtoull(b, &b_end, 10);
            if (x != y)
                return x < y ? -1 : 1;
            a = a_end;
            b = b_end;
        } else if (*a != *b) {
            return *a < *b ? -1 : 1;
        } else {
            a++;
            b++;
        }
    }
    return *a ? 1 : *b ? -1 : 0;
}

static int by_name(const void *a, const void *b)
{
    const struct wry_shelf_item *x = *(struct wry_shelf_item *const *)a;
    const struct wry_shelf_item *y = *(struct wry_shelf_item *const *)b;
    int order = strcmp(x->name, y->name);

    if (order == 0)
        order = compare_versions(y->version, x->version);
    return order != 0 ? order : memcmp(x->sha256, y->sha256, sizeof x->sha256);
}

GPtrArray *shelf_items(struct shelf *shelf, GError **error)
{
    sqlite3_stmt *s = database_prepare(shelf->db, "SELECT * FROM image", error);
    GPtrArray *items = g_ptr_array_new_with_free_func((GDestroyNotify)wry_shelf_item_free);
    int code = SQLITE_ERROR;

    while (s && (code = sqlite3_step(s)) == SQLITE_ROW)
        g_ptr_array_add(items, item_of(shelf, s));
    if (s && code != SQLITE_DONE)
        database_fail(shelf->db, error);
    sqlite3_finalize(s);
    if (code == SQLITE_DONE) {
        g_ptr_array_sort(items, by_name);
        return items;
    }
    g_ptr_array_unref(items);
    return NULL;
}

bool shelf_prefer(struct shelf *shelf, const struct wry_shelf_item *item, GError **error)
{
    sqlite3_stmt *s = database_prepare(
        shelf->db, "UPDATE image SET preferred = (sha256 = ?1) WHERE name = ?2", error);

    if (!s)
        return false;
    sqlite3_bind_blob(s, 1, item->sha256, WRY_SHA256_SIZE, SQLITE_STATIC);
    sqlite3_bind_text(s, 2, item->name, -1, SQLITE_STATIC);
    return database_run(shelf->db, s, error);
}

bool shelf_describe(struct shelf *shelf, const struct wry_shelf_item *item, const char *path,
                    GError **error)
{
    g_autofree char *to = description_of(shelf, item->sha256);
    g_autofree char *text = NULL;
    gsize n = 0;

    return g_file_get_contents(path, &text, &n, error) &&
           wry_atomic_file_save(to, text, n, TRUE, error);
}

bool shelf_remove(struct shelf *shelf, const struct wry_shelf_item *item, GError **error)
{
    sqlite3_stmt *s = database_prepare(shelf->db, "DELETE FROM image WHERE sha256 = ?1", error);

    if (!s)
        return false;
    sqlite3_bind_blob(s, 1, item->sha256, WRY_SHA256_SIZE, SQLITE_STATIC);
    if (!database_run(shelf->db, s, error))
        return false;
    if (item->settings_description && g_unlink(item->settings_description) != 0)
        return store_file_error(error, item->settings_description);
    return g_unlink(item->path) == 0 || store_file_error(error, item->path);
}
