/*
 * A PostgreSQL server, by libpq, that is not trusted: every answer is checked for its status, rows
 * and columns before it is looked at, an answer is bounded in size, and every wait has an end.
 *
 *     struct postgres *server = postgres_open(address, deadline, &error);
 *     if (postgres_execute(server, "BEGIN", 5000000, &error))
 *         ...
 *     postgres_close(server);
 *
 * Times are us. Only the look-up of a host's name, which libpq leaves to the system, may take
 * longer than allowed: threads that nobody waits for connect. A server's notices are not shown.
 */
#ifndef WRY_STORE_POSTGRES_H
#define WRY_STORE_POSTGRES_H

#include <glib.h>
#include <libpq-fe.h>
#include <stdbool.h>
#include <stdint.h>

struct postgres;

/* True for a URI (postgresql://…, in any case) and for libpq's "host=… password=…"; also for what
 * is meant to be one and is not well formed, so that a password in it never becomes a file name. */
bool postgres_is_address(const char *address);

/* "postgresql://HOST:PORT/DATABASE", for messages: without user and password. Free with g_free. */
char *postgres_name(const char *address);

/* Connects until deadline, on g_get_monotonic_time. NULL with an error that shows no password. */
struct postgres *postgres_open(const char *address, int64_t deadline, GError **error);
void postgres_close(struct postgres *server);

/* True if the connection leads to another computer and is not encrypted. */
bool postgres_is_exposed(const struct postgres *server);

/* SQLSTATE of the last refusal, "" if the last failure was none: the connection, or the time. */
const char *postgres_state(const struct postgres *server);

/* Statements without values and without rows. time: for each result. */
bool postgres_execute(struct postgres *server, const char *text, int64_t time, GError **error);

/* One statement without rows, with count values (NULL: SQL's NULL). */
bool postgres_put(struct postgres *server, const char *text, int count, const char *const *values,
                  int64_t time, GError **error);

/* The one number that a statement gives, 0 to INT_MAX; -1 with an error for anything else. */
int postgres_number(struct postgres *server, const char *text, int64_t time, GError **error);

/*
 * Hands over one row after another: each is the only one of its result and has that many columns.
 * Ends early, and well, once take returns false; the rest is not waited for, and the server can
 * only be closed then. time: from one row to the next, not counting what take does.
 */
bool postgres_each(struct postgres *server, const char *text, int count, const char *const *values,
                   int columns, int64_t time, bool (*take)(void *context, const PGresult *row),
                   void *context, GError **error);

/* Sets the error to "NAME: what"; returns false. */
bool postgres_fail(const struct postgres *server, const char *what, GError **error);

#endif
