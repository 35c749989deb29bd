/* Writing to the ledger. */
#pragma once

#include "wrytograph-host/ledger.h"

/* A new run with id, computer, user, program and time filled in. */
struct wry_ledger_run *ledger_run_new(const char *kind);
/* The current time in the ledger's form: UTC with milliseconds. Free with g_free. */
char *ledger_now(void);

/* Stores a run in progress. sure: flushed to disk, so that it survives a power failure; otherwise
 * it survives only the end of the process until the next sure write. */
bool ledger_note(struct wry_ledger *ledger, const struct wry_ledger_run *run, bool sure,
                 GError **error);

/* True once, when rows were first sent unencrypted to another computer. */
bool ledger_exposed_once(struct wry_ledger *ledger);

/* Stores the ended run with its outcome, and sends it to the server, waiting at most a second. */
bool ledger_end(struct wry_ledger *ledger, const struct wry_ledger_run *run, GError **error);

struct ledger_postgres;

/* Connects to the ledger's server within time, in us; close with ledger_postgres_close. NULL with
 * error, also for a ledger that is a file. */
struct ledger_postgres *ledger_server(struct wry_ledger *ledger, int64_t time, GError **error);
