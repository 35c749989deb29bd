/* The journal's file: its tables, and waiting for who else has it. */
#ifndef WRY_STORE_JOURNAL_TABLES_H
#define WRY_STORE_JOURNAL_TABLES_H

#include <glib.h>
#include <sqlite3.h>

#include "wrytograph-host/stop.h"
#include "wrytograph/session.h"

struct journal {
    sqlite3 *db;
    char *folder, *path;
    struct wry_stop stop;
    char *board, *jedec;
    int64_t chip, flash;
    char *problem;
    GPtrArray *aside;
    struct wry_journal journal;
};

/* False, with the database's words as the problem. */
bool journal_fail(struct journal *journal);
bool journal_execute(struct journal *journal, const char *text);

/* For sqlite3_busy_handler, context = the journal: another process has it. Not deaf to whoever
 * wants to stop. */
int journal_wait_for_lock(void *context, int times);

/* To be written: checked, made or brought up to date. Fifty boards at once find that out once: the
 * others need no more than that the file is there. */
bool journal_prepare(struct journal *journal);

/* To be looked at: checked, and not brought up to date, for it may be read-only. */
bool journal_prepare_to_look(struct journal *journal);

/* Made, and ended before anything was written. */
bool journal_is_empty(struct journal *journal);

#endif
