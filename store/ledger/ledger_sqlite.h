/*
 * A ledger in an SQLite file: the user's own, or what waits for a server. Write-ahead logging, so
 * that readers and a writer do not wait for each other.
 */
#ifndef WRY_STORE_LEDGER_SQLITE_H
#define WRY_STORE_LEDGER_SQLITE_H

#include "wrytograph-host/ledger.h"

struct ledger_sqlite;

struct ledger_sqlite *ledger_sqlite_open(const char *path, GError **error);
void ledger_sqlite_close(struct ledger_sqlite *lite);

/* Whether what is put from now on is on the disk when it was told, also when the power goes; at
 * first it is. */
bool ledger_sqlite_be_sure(struct ledger_sqlite *lite, bool sure, GError **error);

/* A row of that id, in place of one that is there. process: who runs it; NULL when it has ended.
 * waiting: it goes to a server, once it has ended. */
bool ledger_sqlite_put(struct ledger_sqlite *lite, const struct wry_ledger_run *run,
                       const char *process, bool waiting, GError **error);

/* Rows of this computer whose process has ended are "cut". */
bool ledger_sqlite_find_cut(struct ledger_sqlite *lite, const char *computer, GError **error);

bool ledger_sqlite_each(struct ledger_sqlite *lite, const struct wry_ledger_filter *filter,
                        wry_ledger_take take, void *context, GError **error);

/*
 * Rows that have ended and wait for the server, those that failed least often and then the oldest
 * first, `most` of them; struct wry_ledger_run. mark: of this sending: rows that
 * ledger_sqlite_refuse was given with it are left out, so that each is tried once.
 */
GPtrArray *ledger_sqlite_waiting(struct ledger_sqlite *lite, const char *mark, unsigned most,
                                 GError **error);
/* How many there are, whatever the mark; -1 with an error. */
int ledger_sqlite_count_waiting(struct ledger_sqlite *lite, GError **error);
/* It is with the server now. */
bool ledger_sqlite_drop(struct ledger_sqlite *lite, const char *id, GError **error);

/* The server did not take it, and said why. set_aside: it is not sent again until
 * ledger_sqlite_take_up. */
bool ledger_sqlite_refuse(struct ledger_sqlite *lite, const char *id, const char *mark,
                          const char *reason, bool set_aside, GError **error);
bool ledger_sqlite_take_up(struct ledger_sqlite *lite, GError **error);
/* Those that are still here; is_tried: it goes out with the next run. */
bool ledger_sqlite_each_refused(struct ledger_sqlite *lite,
                                void (*take)(void *context, const char *id, const char *reason,
                                             bool is_tried),
                                void *context, GError **error);

/* Of an outbox: which server its rows are for, set once. NULL if an older version made it; free
 * with g_free. */
bool ledger_sqlite_set_server(struct ledger_sqlite *lite, const char *name, GError **error);
char *ledger_sqlite_server(struct ledger_sqlite *lite);

/* Together or not at all. */
bool ledger_sqlite_begin(struct ledger_sqlite *lite, GError **error);
bool ledger_sqlite_commit(struct ledger_sqlite *lite, GError **error);

#endif
