/*
 * A PostgreSQL server by libpq, which is not trusted: the status, rows and columns of every answer
 * are checked before use, answers are limited in size, and every wait ends.
 *
 *     struct postgres *server = postgres_open(address, deadline, &error);
 *     if (postgres_execute(server, "BEGIN", 5000000, &error))
 *         ...
 *     postgres_close(server);
 *
 * Times are in us. Only resolving a host name, which libpq leaves to the system, has no deadline.
 */
#pragma once

#include "pq_library.h"
#include <glib.h>
#include <stdbool.h>
#include <stdint.h>

#include "store/ledger/postgres_address.h"

struct postgres;

/* Connects, until a deadline on g_get_monotonic_time. NULL with an error that shows no password. */
struct postgres *postgres_open(const char *address, int64_t deadline, GError **error);
void postgres_close(struct postgres *server);

/* True for an unencrypted connection to another computer. */
bool postgres_is_exposed(const struct postgres *server);

/* SQLSTATE of the last error; "" if it was the connection or a time-out. */
const char *postgres_state(const struct postgres *server);

/* Runs statements without values or rows. time: for each result. */
bool postgres_execute(struct postgres *server, const char *text, int64_t time, GError **error);

/* Runs one statement without rows, with count values (NULL: SQL's NULL). */
bool postgres_put(struct postgres *server, const char *text, int count, const char *const *values,
                  int64_t time, GError **error);

/* The number that a statement returns, 0 to INT_MAX; -1 with error for anything else. */
int postgres_number(struct postgres *server, const char *text, int64_t time, GError **error);

/*
 * Calls take for each row, which must be alone in its result and have this many columns. Ends
 * successfully if take returns false; the remaining rows are not fetched, and the server can only
 * be closed then. time: from one row to the next, without the time in take.
 */
bool postgres_each(struct postgres *server, const char *text, int count, const char *const *values,
                   int columns, int64_t time, bool (*take)(void *context, const PGresult *row),
                   void *context, GError **error);

/* Sets the error to "NAME: what"; returns false. */
bool postgres_fail(const struct postgres *server, const char *what, GError **error);
