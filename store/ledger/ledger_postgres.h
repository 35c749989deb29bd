/*
 * A ledger in a PostgreSQL database. Opening has a deadline, on g_get_monotonic_time; later calls
 * wait a limited time for each answer.
 */
#pragma once

#include "store/ledger/row_claim.h"
#include "wrytograph-host/ledger.h"

struct ledger_postgres;

/* Connects, and creates or upgrades the schema. */
struct ledger_postgres *ledger_postgres_open(const char *address, int64_t deadline, GError **error);
void ledger_postgres_close(struct ledger_postgres *server);

/* True if rows are sent unencrypted to another computer. */
bool ledger_postgres_is_exposed(const struct ledger_postgres *server);

/* The result of sending rows. */
enum ledger_sent {
    LEDGER_SENT,
    LEDGER_REFUSED, /* rejected for their content: sending again will not help */
    LEDGER_FAILED,  /* rejected for the server's state: full, shutting down, locked */
    LEDGER_UNSENT,  /* the connection failed; the rows may have arrived: send them again */
};

/* Sends struct wry_ledger_run, all or none; rows that the server has already are ignored. */
enum ledger_sent ledger_postgres_put(struct ledger_postgres *server, const GPtrArray *runs,
                                     GError **error);

bool ledger_postgres_each(struct ledger_postgres *server, const struct wry_ledger_filter *filter,
                          wry_ledger_take take, void *context, GError **error);

/* Adds the values of a field to found, see wry_ledger_values. */
bool ledger_postgres_values(struct ledger_postgres *server, enum wry_ledger_field field,
                            const char *part, unsigned most, GPtrArray *found, GError **error);

/* Rows of a table of boards, see row_claims.c. The claim given to take is valid during the call. */
bool ledger_postgres_each_claim(struct ledger_postgres *server, const char *lot,
                                bool (*take)(void *context, const struct row_claim *claim),
                                void *context, GError **error);
bool ledger_postgres_claim(struct ledger_postgres *server, const char *lot,
                           const struct row_claim *claim, bool *added, GError **error);
bool ledger_postgres_unclaim(struct ledger_postgres *server, const char *lot, const char *board,
                             unsigned row, GError **error);
