/* The index of known content, in SQLite. */
#include "store/shelf/known_index.h"

#include "base/folders.h"
#include "store/db/database.h"

struct known_index {
    sqlite3 *db;
    sqlite3_stmt *find;
};

static const char *const steps[] = {
    "CREATE TABLE IF NOT EXISTS file ("
    " id INTEGER PRIMARY KEY, path TEXT NOT NULL UNIQUE, kind INTEGER NOT NULL,"
    " used INTEGER NOT NULL);"
    "CREATE TABLE IF NOT EXISTS sector ("
    " sum INTEGER NOT NULL, file INTEGER NOT NULL REFERENCES file ON DELETE CASCADE,"
    " at INTEGER NOT NULL, PRIMARY KEY (sum, file, at)) WITHOUT ROWID;"
    "CREATE INDEX IF NOT EXISTS sector_file ON sector (file);",
    NULL,
};

static const struct database_kind schema = {
    .steps = steps,
    .settings = "PRAGMA synchronous = NORMAL; PRAGMA foreign_keys = ON;",
    .busy = 500, /* ms: skip the index if it is locked for longer */
};

char *known_default_folder(void)
{
    char *named = folders_named("WRYTOGRAPH_CACHE");

    return named ? named : folders_user(FOLDER_CACHE, NULL);
}

struct known_index *known_index_open(const char *folder, struct wry_stop stop, GError **error)
{
    g_autofree char *path = g_build_filename(folder, "known.db", NULL);
    struct known_index *index = g_new0(struct known_index, 1);

    index->db = database_open(path, &schema, stop, error);
    if (index->db)
        index->find = database_prepare(index->db,
                                       "SELECT file, path, kind, at FROM sector JOIN file ON id = "
                                       "file WHERE sum = ?1 ORDER BY used DESC",
                                       error);
    if (index->find)
        return index;
    known_index_close(index);
    return NULL;
}

void known_index_close(struct known_index *index)
{
    if (!index)
        return;
    sqlite3_finalize(index->find);
    sqlite3_close(index->db);
    g_free(index);
}

static bool run(struct known_index *index, const char *text, int64_t a, int64_t b, int64_t c)
{
    sqlite3_stmt *statement = database_prepare(index->db, text, NULL);

    if (statement) {
        sqlite3_bind_int64(statement, 1, a);
        sqlite3_bind_int64(statement, 2, b);
        sqlite3_bind_int64(statement, 3, c);
    }
    return database_run(index->db, statement, NULL);
}

static bool add_file(struct known_index *index, const char *path, enum known_kind kind)
{
    static const char text[] = "INSERT OR REPLACE INTO file (path, kind, used) "
                               "VALUES (?1, ?2, (SELECT ifnull(max(used), 0) + 1 FROM file))";
    sqlite3_stmt *statement = database_prepare(index->db, text, NULL);

    if (statement) {
        sqlite3_bind_text(statement, 1, path, -1, SQLITE_STATIC);
        sqlite3_bind_int64(statement, 2, kind);
    }
    return database_run(index->db, statement, NULL);
}

/* Deletes the oldest entries. */
static bool keep_small(struct known_index *index)
{
    static const char oldest[] =
        "DELETE FROM file WHERE id = (SELECT id FROM file ORDER BY used LIMIT 1) "
        "AND (SELECT count(*) FROM file) > 1 AND (SELECT count(*) FROM sector) > ?1";
    bool done = true;

    do {
        done = run(index, oldest, KNOWN_SECTORS_MOST, 0, 0);
    } while (done && sqlite3_changes(index->db) > 0);
    return done;
}

static bool add_all(struct known_index *index, const char *path, enum known_kind kind,
                    const struct known_sector *sectors, size_t count)
{
    bool done = add_file(index, path, kind);
    int64_t file = sqlite3_last_insert_rowid(index->db);

    for (size_t i = 0; i < count && i < KNOWN_SECTORS_MOST && done; i++)
        done = run(index,
                   "INSERT OR IGNORE INTO sector SELECT ?1, ?2, ?3 WHERE "
                   "(SELECT count(*) FROM sector WHERE sum = ?1) < 4",
                   (int64_t)sectors[i].sum, file, sectors[i].at);
    return done && keep_small(index);
}

bool known_index_add(struct known_index *index, const char *path, enum known_kind kind,
                     const struct known_sector *sectors, size_t count)
{
    G_STATIC_ASSERT(KNOWN_SPOTS_MOST == 4); /* the SQL statement contains this number */
    bool done = database_execute(index->db, "BEGIN IMMEDIATE", NULL) &&
                add_all(index, path, kind, sectors, count) &&
                database_execute(index->db, "COMMIT", NULL);
    database_rollback(index->db);
    return done;
}

/* Rejects rows that no version of this program has written: the file may be damaged. */
static bool take_spot(sqlite3_stmt *find, struct known_spot *spot)
{
    const char *path = (const char *)sqlite3_column_text(find, 1);
    int64_t kind = sqlite3_column_int64(find, 2), at = sqlite3_column_int64(find, 3);

    if (!path || (kind != KNOWN_PLAIN && kind != KNOWN_ARCHIVE) || at < 0 || at > UINT32_MAX)
        return false;
    *spot = (struct known_spot){.file = sqlite3_column_int64(find, 0),
                                .path = path,
                                .kind = (enum known_kind)kind,
                                .at = (uint32_t)at};
    return true;
}

void known_index_find(struct known_index *index, uint64_t sum,
                      bool (*told)(void *context, const struct known_spot *spot), void *context)
{
    sqlite3_stmt *find = index->find;
    bool enough = false;

    sqlite3_bind_int64(find, 1, (int64_t)sum);
    while (!enough && sqlite3_step(find) == SQLITE_ROW) {
        struct known_spot spot;
        if (take_spot(find, &spot))
            enough = told(context, &spot);
    }
    sqlite3_reset(find);
}

void known_index_drop(struct known_index *index, int64_t file)
{
    run(index, "DELETE FROM file WHERE id = ?1", file, 0, 0);
}
