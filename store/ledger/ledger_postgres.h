/*
 * A ledger in a PostgreSQL database. Opening it takes until a deadline, on g_get_monotonic_time;
 * every later call waits for a limited time for each answer.
 */
#ifndef WRY_STORE_LEDGER_POSTGRES_H
#define WRY_STORE_LEDGER_POSTGRES_H

#include "wrytograph-host/ledger.h"

struct ledger_postgres;

/* Connects, and brings the schema up to date. */
struct ledger_postgres *ledger_postgres_open(const char *address, int64_t deadline, GError **error);
void ledger_postgres_close(struct ledger_postgres *server);

/* True if rows travel to another computer unencrypted. */
bool ledger_postgres_is_exposed(const struct ledger_postgres *server);

/* What became of rows that were sent. */
enum ledger_sent {
    LEDGER_SENT,
    LEDGER_REFUSED, /* for what the rows are: it will not go better by itself */
    LEDGER_FAILED,  /* refused for the state the server is in: full, shutting down, locked */
    LEDGER_UNSENT,  /* the connection failed: they may or may not be there; send them again */
};

/* struct wry_ledger_run, all or none; those that are there already are left alone. */
enum ledger_sent ledger_postgres_put(struct ledger_postgres *server, const GPtrArray *runs,
                                     GError **error);

bool ledger_postgres_each(struct ledger_postgres *server, const struct wry_ledger_filter *filter,
                          wry_ledger_take take, void *context, GError **error);

#endif
