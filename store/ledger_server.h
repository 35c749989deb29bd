/*
 * A ledger in a PostgreSQL database, by libpq. No call waits beyond its deadline, which is on
 * g_get_monotonic_time; only the look-up of a host's name may.
 */
#ifndef WRY_STORE_LEDGER_SERVER_H
#define WRY_STORE_LEDGER_SERVER_H

#include "wrytograph-host/ledger.h"

struct ledger_server;

/* Connects, and brings the schema up to date. */
struct ledger_server *ledger_server_open(const char *address, int64_t deadline, GError **error);
void ledger_server_close(struct ledger_server *server);

/* What became of rows that were sent. */
enum ledger_sent {
    LEDGER_SENT,
    LEDGER_REFUSED, /* by the server, for what the row holds: it will not do better later */
    LEDGER_UNSENT,  /* whether they are there is not known; they may be sent again */
};

/* struct wry_ledger_run, all or none; those that are there already are left alone. */
enum ledger_sent ledger_server_put(struct ledger_server *server, const GPtrArray *runs,
                                   int64_t deadline, GError **error);

bool ledger_server_each(struct ledger_server *server, const struct wry_ledger_filter *filter,
                        wry_ledger_take take, void *context, int64_t deadline, GError **error);

/* An address of such a database. */
bool ledger_server_is_address(const char *address);
/* The same without its password. Free with g_free. */
char *ledger_server_name(const char *address);

#endif
