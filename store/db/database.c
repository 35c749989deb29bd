/* Opening SQLite files, and small statements on them. */
#include "store/db/database.h"

#include <errno.h>
#include <fcntl.h>
#include <glib/gstdio.h>
#include <sys/stat.h>
#include <unistd.h>

#include "store/file/error.h"

enum {
    OPEN_TIME = 5000,      /* ms for a peer that is creating the same file, */
    UPGRADE_TIME = 120000, /* and for one that is upgrading it: a large one takes a minute */
    SHRINK_LEAST = 16 * 1024 * 1024, /* bytes of unused room that are worth it */
    PAUSE = 5,                       /* ms between two attempts */
};

bool database_fail(sqlite3 *db, GError **error)
{
    const char *path = sqlite3_db_filename(db, "main");

    return store_error(error, WRY_STORE_ERROR_FILE, "%s: %s", path ? path : "database",
                       sqlite3_errmsg(db));
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

bool database_execute(sqlite3 *db, const char *text, GError **error)
{
    return sqlite3_exec(db, text, NULL, NULL, NULL) == SQLITE_OK || database_fail(db, error);
}

bool database_number(sqlite3 *db, const char *text, int64_t *number, GError **error)
{
    sqlite3_stmt *statement = database_prepare(db, text, error);
    bool got = statement && sqlite3_step(statement) == SQLITE_ROW;

    if (got)
        *number = sqlite3_column_int64(statement, 0);
    else if (statement)
        database_fail(db, error);
    sqlite3_finalize(statement);
    return got;
}

void database_rollback(sqlite3 *db)
{
    if (!sqlite3_get_autocommit(db))
        sqlite3_exec(db, "ROLLBACK", NULL, NULL, NULL);
}

int database_version(sqlite3 *db, const char *path, GError **error)
{
    int64_t version = -1;

    if (!database_number(db, "PRAGMA user_version", &version, error) || version >= 0)
        return (int)version;
    store_error(error, WRY_STORE_ERROR_DAMAGED,
                "%s: its schema has the number %d, which no version of this program gave", path,
                (int)version);
    return -1;
}

/*
 * Creates the file with mode 0600, which SQLite then gives to its log as well. A file that exists
 * is not opened here: closing any descriptor of it would drop the locks (POSIX record locks belong
 * to the process) that another connection of this process has on it.
 */
static bool create_private(const char *path)
{
    int file = open(path, O_RDWR | O_CREAT | O_EXCL | O_CLOEXEC, 0600);

    if (file >= 0)
        close(file);
    return file >= 0 || errno == EEXIST;
}

/* Earlier versions left the mode to the umask. A file that its owner made writable by a group is
 * shared on purpose. */
static void make_private(const char *path)
{
    static const char *const endings[] = {"", "-wal", "-shm", "-journal"};
    GStatBuf info;

    for (size_t i = 0; i < G_N_ELEMENTS(endings); i++) {
        g_autofree char *name = g_strconcat(path, endings[i], NULL);
        if (g_stat(name, &info) == 0 && S_ISREG(info.st_mode) && info.st_uid == geteuid() &&
            (info.st_mode & 077) != 0 && (info.st_mode & S_IWGRP) == 0)
            g_chmod(name, info.st_mode & 0700);
    }
}

static bool open_file(const char *path, sqlite3 **db, GError **error)
{
    if (!create_private(path))
        return store_file_error(error, path);
    if (sqlite3_open_v2(path, db, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE, NULL) == SQLITE_OK)
        return true;
    return store_error(error, WRY_STORE_ERROR_FILE, "%s: %s", path, sqlite3_errmsg(*db));
}

/* SQLite names the write-ahead log after the database, and resolves symbolic links for that. Under
 * two hard links there would be two logs of one file. */
static bool has_one_name(const char *path, GError **error)
{
    GStatBuf info;

    if (g_stat(path, &info) != 0)
        return store_file_error(error, path);
    if (info.st_nlink <= 1)
        return true;
    return store_error(
        error, WRY_STORE_ERROR_FILE,
        "%s: this file has %u names (hard links), and data stored under one of them would be "
        "missing under the others; make a copy of it instead, or remove the other names",
        path, (unsigned)info.st_nlink);
}

bool database_look(const char *path, sqlite3 **db, GError **error)
{
    return sqlite3_open_v2(path, db, SQLITE_OPEN_READONLY, NULL) == SQLITE_OK ||
           database_fail(*db, error);
}

bool database_connect(const char *path, sqlite3 **db, GError **error)
{
    static GMutex creating; /* no connection of this process is open while create_private closes */
    g_autofree char *folder = g_path_get_dirname(path);

    *db = NULL;
    if (g_mkdir_with_parents(folder, 0700) != 0)
        return store_file_error(error, folder);
    g_mutex_lock(&creating);
    bool opened = open_file(path, db, error);
    g_mutex_unlock(&creating);
    if (opened)
        make_private(path);
    return opened && has_one_name(path, error);
}

static bool is_busy(sqlite3 *db)
{
    int code = sqlite3_errcode(db) & 0xFF;

    return code == SQLITE_BUSY || code == SQLITE_LOCKED || code == SQLITE_PROTOCOL;
}

void database_shrink(sqlite3 *db)
{
    int64_t pages = 0, unused = 0, page = 0;

    if (database_number(db, "PRAGMA page_count", &pages, NULL) &&
        database_number(db, "PRAGMA freelist_count", &unused, NULL) &&
        database_number(db, "PRAGMA page_size", &page, NULL) && unused * 2 > pages &&
        unused * page > SHRINK_LEAST) {
        sqlite3_busy_timeout(db, 0);
        sqlite3_exec(db, "VACUUM", NULL, NULL, NULL);
    }
}

static int count_steps(const struct database_kind *kind)
{
    int known = 0;

    while (kind->steps[known])
        known++;
    return known;
}

/* Within a transaction: another process may have done it since it was found missing. */
static bool migrate(sqlite3 *db, const char *path, const struct database_kind *kind, GError **error)
{
    int known = count_steps(kind), version = database_version(db, path, error);
    bool good = version >= 0;

    for (int i = version; i < known && good; i++) {
        g_autofree char *mark = g_strdup_printf("PRAGMA user_version = %d", i + 1);
        good = database_execute(db, kind->steps[i], error) && database_execute(db, mark, error);
    }
    return good && database_execute(db, "COMMIT", error);
}

/* Why an attempt failed. */
enum attempt {
    ATTEMPT_FAILED,
    ATTEMPT_BUSY,    /* another process holds the file, */
    ATTEMPT_UPGRADE, /* or this older file, which it may be upgrading */
};

static bool prepare(sqlite3 *db, const char *path, const struct database_kind *kind,
                    enum attempt *attempt, GError **error)
{
    int known = count_steps(kind), version = database_version(db, path, error);

    *attempt = ATTEMPT_FAILED;
    if (version > known)
        return store_error(
            error, WRY_STORE_ERROR_FILE,
            "%s: this file has schema %d, made by a newer version of this program; this "
            "version knows schemas up to %d",
            path, version, known);
    bool good = version >= 0;
    if (version == 0 && kind->page > 0) {
        g_autofree char *page = g_strdup_printf("PRAGMA page_size = %u", kind->page);
        good = database_execute(db, page, error);
    }
    if (good && version < known)
        good = database_execute(db, "PRAGMA journal_mode = WAL", error) &&
               database_execute(db, "BEGIN IMMEDIATE", error) && migrate(db, path, kind, error);
    good = good && (!kind->settings || database_execute(db, kind->settings, error));
    if (!good && is_busy(db))
        *attempt = version > 0 && version < known ? ATTEMPT_UPGRADE : ATTEMPT_BUSY;
    database_rollback(db);
    return good;
}

/*
 * SQLite calls a busy handler in some states and in others returns at once, so there is none here
 * and each attempt as a whole is repeated. This also hears stop.
 */
static bool prepare_in_time(sqlite3 *db, const char *path, const struct database_kind *kind,
                            struct wry_stop stop, GError **error)
{
    int64_t begun = g_get_monotonic_time();
    g_autoptr(GError) inner = NULL;
    enum attempt attempt;
    bool good = false;

    for (;;) {
        g_clear_error(&inner);
        good = prepare(db, path, kind, &attempt, &inner);
        int64_t most = attempt == ATTEMPT_UPGRADE ? UPGRADE_TIME : OPEN_TIME;
        if (good || attempt == ATTEMPT_FAILED || wry_stop_asked(stop) ||
            g_get_monotonic_time() >= begun + most * 1000)
            break;
        g_usleep(PAUSE * 1000);
    }
    if (!good)
        g_propagate_error(error, g_steal_pointer(&inner));
    return good;
}

sqlite3 *database_open(const char *path, const struct database_kind *kind, struct wry_stop stop,
                       GError **error)
{
    sqlite3 *db = NULL;

    if (database_connect(path, &db, error) && prepare_in_time(db, path, kind, stop, error)) {
        sqlite3_busy_timeout(db, kind->busy);
        return db;
    }
    sqlite3_close(db);
    return NULL;
}
