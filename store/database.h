/*
 * SQLite files of ours: opened or made with a schema of a version, and small statements on them.
 *
 *     sqlite3 *db = database_open(path, schema, 1, &error);
 *     sqlite3_stmt *statement = database_prepare(db, "SELECT path FROM file WHERE id = ?1",
 * &error);
 */
#ifndef WRY_STORE_DATABASE_H
#define WRY_STORE_DATABASE_H

#include <glib.h>
#include <sqlite3.h>
#include <stdbool.h>

/*
 * The folder is made when missing. NULL with the file's name when it cannot be used, when it is
 * locked for more than a second, or when a newer version of this program made it.
 */
sqlite3 *database_open(const char *folder, const char *name, const char *schema, int version,
                       GError **error);

/* The same whatever its schema; busy: ms that a lock is waited for. */
sqlite3 *database_open_any(const char *folder, const char *name, int busy, GError **error);

/* Number of its schema, 0 of one that has none yet; -1 with an error that names path. */
int database_version(sqlite3 *db, const char *path, GError **error);

/* NULL is an error with the file's name. */
sqlite3_stmt *database_prepare(sqlite3 *db, const char *text, GError **error);

/* Runs a statement that gives no rows, and finalizes it. */
bool database_run(sqlite3 *db, sqlite3_stmt *statement, GError **error);

/* Sets the error from what SQLite said last; returns false. */
bool database_fail(sqlite3 *db, GError **error);

#endif
