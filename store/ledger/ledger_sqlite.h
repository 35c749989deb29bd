/*
 * A ledger in an SQLite file: the user's ledger, or the outbox for a server. It uses write-ahead
 * logging, so readers and a writer do not block each other.
 */
#pragma once

#include "wrytograph-host/ledger.h"

struct ledger_sqlite;

struct ledger_sqlite *ledger_sqlite_open(const char *path, GError **error);
void ledger_sqlite_close(struct ledger_sqlite *lite);

/* Chooses whether writes are flushed to disk before a call returns; true at first. */
bool ledger_sqlite_be_sure(struct ledger_sqlite *lite, bool sure, GError **error);

/* Inserts or replaces a row. process: who runs it, NULL if it has ended. waiting: send it to the
 * server once it has ended. */
bool ledger_sqlite_put(struct ledger_sqlite *lite, const struct wry_ledger_run *run,
                       const char *process, bool waiting, GError **error);

/* Marks rows of this computer whose process has ended as "cut". */
bool ledger_sqlite_find_cut(struct ledger_sqlite *lite, const char *computer, GError **error);

bool ledger_sqlite_each(struct ledger_sqlite *lite, const struct wry_ledger_filter *filter,
                        wry_ledger_take take, void *context, GError **error);

/* Adds the values of a field to found, see wry_ledger_values. */
bool ledger_sqlite_values(struct ledger_sqlite *lite, enum wry_ledger_field field, const char *part,
                          unsigned most, GPtrArray *found, GError **error);

/*
 * Ended rows that wait for the server, by number of failures and then by age; at most `most`;
 * struct wry_ledger_run. mark: identifies this attempt; rows that ledger_sqlite_refuse got with it
 * are left out, so that each is tried once.
 */
GPtrArray *ledger_sqlite_waiting(struct ledger_sqlite *lite, const char *mark, unsigned most,
                                 GError **error);
/* The number of waiting rows, with any mark; -1 with error. */
int ledger_sqlite_count_waiting(struct ledger_sqlite *lite, GError **error);
/* Deletes a row that the server has now. */
bool ledger_sqlite_drop(struct ledger_sqlite *lite, const char *id, GError **error);

/* Records that the server rejected a row, and why. set_aside: do not send it again before
 * ledger_sqlite_take_up. */
bool ledger_sqlite_refuse(struct ledger_sqlite *lite, const char *id, const char *mark,
                          const char *reason, bool set_aside, GError **error);
bool ledger_sqlite_take_up(struct ledger_sqlite *lite, GError **error);
/* Lists the rejected rows; is_tried: the next run sends it again. */
bool ledger_sqlite_each_refused(struct ledger_sqlite *lite,
                                void (*take)(void *context, const char *id, const char *reason,
                                             bool is_tried),
                                void *context, GError **error);

/* The server that an outbox belongs to; set once. NULL for one made by an older version; free with
 * g_free. */
bool ledger_sqlite_set_server(struct ledger_sqlite *lite, const char *name, GError **error);
char *ledger_sqlite_server(struct ledger_sqlite *lite);

/* Begins a transaction; commits it if good, or else takes it back. Returns whether it was
 * committed. */
bool ledger_sqlite_begin(struct ledger_sqlite *lite, GError **error);
bool ledger_sqlite_finish(struct ledger_sqlite *lite, bool good, GError **error);
