/* The journal's file: its tables and their versions, and waiting for another process's lock. */
#pragma once

#include <glib.h>
#include <sqlite3.h>

#include "wrytograph-host/stop.h"
#include "wrytograph/session.h"

struct journal {
    sqlite3 *db;
    char *folder, *path;
    struct wry_stop stop;
    char *board, *jedec; /* EUI-48 and JEDEC ID as text */
    int64_t chip, flash; /* chip code; bytes of flash */
    char *problem;       /* of the last failure, or NULL */
    GPtrArray *aside;    /* paths, see journal_set_aside */
    struct wry_journal journal;
};

/* Sets the problem; returns false. */
bool journal_fail_for(struct journal *journal, const char *format, ...) G_GNUC_PRINTF(2, 3);
/* The same with SQLite's last error. */
bool journal_fail(struct journal *journal);
/* Runs statements without rows; false with the problem set. */
bool journal_execute(struct journal *journal, const char *text);

/* For sqlite3_busy_handler, with the journal as context: waits a moment for another process's lock.
 * Returns 0 after about five seconds, or once stop is asked for. */
int journal_wait_for_lock(void *context, int times);

/* Prepares it for writing: checks the file, and creates or migrates its tables. Done once for each
 * file in a process; later calls see that it is still the same file. */
bool journal_prepare(struct journal *journal);

/* Prepares it for reading: checks it, without migrating, as it may be read-only. */
bool journal_prepare_to_look(struct journal *journal);

/* True of a file without tables, as a process leaves that ends while creating it. */
bool journal_is_empty(struct journal *journal);
