/* SQLite files of ours. */
#include "database.h"

#include "error.h"

enum {
    BUSY_TIME = 1000, /* ms: a wait that no Ctrl-C ends is short */
};

bool database_fail(sqlite3 *db, GError **error)
{
    const char *path = sqlite3_db_filename(db, "main");

    g_set_error(error, STORE_ERROR, STORE_ERROR_FILE, "%s: %s", path ? path : "database",
                sqlite3_errmsg(db));
    return false;
}

sqlite3_stmt *database_prepare(sqlite3 *db, const char *text, GError **error)
{
    sqlite3_stmt *statement = NULL;

    if (sqlite3_prepare_v2(db, text, -1, &statement, NULL) != SQLITE_OK)
        database_fail(db, error);
    return statement;
}

bool database_run(sqlite3 *db, sqlite3_stmt *statement, GError **error)
{
    bool done = statement && sqlite3_step(statement) == SQLITE_DONE;

    if (statement && !done)
        database_fail(db, error);
    sqlite3_finalize(statement);
    return done;
}

int database_version(sqlite3 *db, const char *path, GError **error)
{
    sqlite3_stmt *statement = database_prepare(db, "PRAGMA user_version", error);
    int version = -1;

    if (statement && sqlite3_step(statement) == SQLITE_ROW) {
        version = sqlite3_column_int(statement, 0);
        if (version < 0)
            g_set_error(error, STORE_ERROR, STORE_ERROR_DAMAGED,
                        "%s: its schema has the number %d, which no version of this program gave",
                        path, version);
    } else if (statement) {
        database_fail(db, error);
    }
    sqlite3_finalize(statement);
    return MAX(version, -1);
}

static bool check_version(sqlite3 *db, const char *path, const char *schema, int version,
                          GError **error)
{
    int found = database_version(db, path, error);

    if (found < 0)
        return false;
    if (found > version) {
        g_set_error(error, STORE_ERROR, STORE_ERROR_FILE,
                    "%s: made by a newer version of this program", path);
        return false;
    }
    g_autofree char *mark = g_strdup_printf("PRAGMA user_version = %d", version);
    return found == version || ((sqlite3_exec(db, schema, NULL, NULL, NULL) == SQLITE_OK &&
                                 sqlite3_exec(db, mark, NULL, NULL, NULL) == SQLITE_OK) ||
                                database_fail(db, error));
}

sqlite3 *database_open_any(const char *folder, const char *name, int busy, GError **error)
{
    g_autofree char *path = g_build_filename(folder, name, NULL);
    sqlite3 *db = NULL;

    if (g_mkdir_with_parents(folder, 0700) != 0) {
        store_file_error(error, folder);
        return NULL;
    }
    if (sqlite3_open_v2(path, &db, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE, NULL) == SQLITE_OK) {
        sqlite3_busy_timeout(db, busy);
        return db;
    }
    g_set_error(error, STORE_ERROR, STORE_ERROR_FILE, "%s: %s", path, sqlite3_errmsg(db));
    sqlite3_close(db);
    return NULL;
}

sqlite3 *database_open(const char *folder, const char *name, const char *schema, int version,
                       GError **error)
{
    g_autofree char *path = g_build_filename(folder, name, NULL);
    sqlite3 *db = database_open_any(folder, name, BUSY_TIME, error);

    if (!db || check_version(db, path, schema, version, error))
        return db;
    sqlite3_close(db);
    return NULL;
}
