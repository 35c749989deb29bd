/*
 * A ledger in an SQLite file: the user's own, or what waits for a server. Write-ahead logging, so
 * that readers and a writer do not wait for each other.
 */
#ifndef WRY_STORE_LEDGER_LITE_H
#define WRY_STORE_LEDGER_LITE_H

#include "wrytograph-host/ledger.h"

struct ledger_lite;

struct ledger_lite *ledger_lite_open(const char *path, GError **error);
void ledger_lite_close(struct ledger_lite *lite);

/* Whether what is put from now on is on the disk when it was told, also when the power goes; at
 * first it is. */
bool ledger_lite_be_sure(struct ledger_lite *lite, bool sure, GError **error);

/* A row of that id, in place of one that is there. process: who runs it; NULL when it has ended.
 * waiting: it goes to a server, once it has ended. */
bool ledger_lite_put(struct ledger_lite *lite, const struct wry_ledger_run *run,
                     const char *process, bool waiting, GError **error);

/* Rows of this computer whose process has ended are "cut". */
bool ledger_lite_find_cut(struct ledger_lite *lite, const char *computer, GError **error);

bool ledger_lite_each(struct ledger_lite *lite, const struct wry_ledger_filter *filter,
                      wry_ledger_take take, void *context, GError **error);

/* The oldest rows that have ended and wait, most of them; struct wry_ledger_run. */
GPtrArray *ledger_lite_waiting(struct ledger_lite *lite, unsigned most, GError **error);
/* How many there are; -1 when that cannot be told. */
int ledger_lite_count_waiting(struct ledger_lite *lite, GError **error);
/* It is with the server now. */
bool ledger_lite_drop(struct ledger_lite *lite, const char *id, GError **error);

/* The server refuses it: it stays, and is not sent again. */
bool ledger_lite_refuse(struct ledger_lite *lite, const char *id, GError **error);

/* Together or not at all. */
bool ledger_lite_begin(struct ledger_lite *lite, GError **error);
bool ledger_lite_commit(struct ledger_lite *lite, GError **error);

#endif
