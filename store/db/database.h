/*
 * SQLite files of this program: opened or created with the right schema, and small statements on
 * them. All stores use SQLite through this; only rows are bound and read by SQLite's own calls.
 * error may be NULL in all calls.
 *
 *     static const char *const steps[] = {"CREATE TABLE IF NOT EXISTS image (…);", NULL};
 *     static const struct database_kind kind = {.steps = steps, .busy = 1000};
 *     sqlite3 *db = database_open(path, &kind, stop, &error);
 *     sqlite3_stmt *statement = database_prepare(db, "SELECT path FROM file WHERE id = ?1",
 * &error);
 */
#pragma once

#include <glib.h>
#include <sqlite3.h>
#include <stdbool.h>

#include "wrytograph-host/stop.h"

struct database_kind {
    /* Ends with NULL. Step i takes the schema from number i to i + 1. Earlier versions did not
     * write step 0 and its number together: it must be able to complete a part of itself. */
    const char *const *steps;
    const char *settings; /* statements that each connection begins with, or NULL */
    unsigned page;        /* bytes of a page of a new file; 0: SQLite's choice */
    int busy;             /* ms that a statement waits for another process's lock */
};

/*
 * Opens path in write-ahead mode with its schema up to date, both in one transaction; a folder or
 * file that is missing is created. Waits up to five seconds for another process that is creating
 * the file or holds it, two minutes for one that is upgrading it, less if stop is asked for. The
 * file, and so its write-ahead log, can be read by its owner only, unless the owner has made it
 * writable by a group.
 *
 * NULL with the file's name in the error if it cannot be used, has several names (hard links), or
 * was made by a newer version of this program.
 */
sqlite3 *database_open(const char *path, const struct database_kind *kind, struct wry_stop stop,
                       GError **error);

/*
 * The first half of it: the folder, the file and its mode, whatever its schema. On failure *db may
 * still be set, for sqlite3_errmsg; close it in any case.
 */
bool database_connect(const char *path, sqlite3 **db, GError **error);

/* Opens an existing file to read it, and changes nothing of it. On failure as database_connect. */
bool database_look(const char *path, sqlite3 **db, GError **error);

/* Number of its schema, 0 of one that has none yet; -1 with an error that names path. */
int database_version(sqlite3 *db, const char *path, GError **error);

/* NULL is an error with the file's name. */
sqlite3_stmt *database_prepare(sqlite3 *db, const char *text, GError **error);

/* Runs a statement that gives no rows, and finalizes it. */
bool database_run(sqlite3 *db, sqlite3_stmt *statement, GError **error);

/* Before it is closed: gives back room in the file if most of it is unused, and nobody else uses
 * it. */
void database_shrink(sqlite3 *db);

/* Runs statements that need no values and whose rows do not matter. */
bool database_execute(sqlite3 *db, const char *text, GError **error);

/* The number in the first row that the statement gives; false without a row. */
bool database_number(sqlite3 *db, const char *text, int64_t *number, GError **error);

/* Ends a transaction, if one is open, and undoes what it changed. */
void database_rollback(sqlite3 *db);

/* Sets the error to what SQLite reported last; returns false. */
bool database_fail(sqlite3 *db, GError **error);
