/* Files of SQLite's as somebody else has changed them. */
#include "tables.h"

#include <sqlite3.h>

#include "harness.h"

void tables_change(const char *path, const char *statements)
{
    sqlite3 *db = NULL;

    CHECK_EQUAL(SQLITE_OK, sqlite3_open(path, &db));
    CHECK_EQUAL(SQLITE_OK, sqlite3_exec(db, statements, NULL, NULL, NULL));
    sqlite3_close(db);
}
