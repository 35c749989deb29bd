/* Addresses of PostgreSQL servers. */
#pragma once

#include <glib.h>
#include <stdbool.h>

/* True for a URI (postgresql://…, in any case) and for libpq's "host=… password=…"; also if it is
 * malformed, so that a password in it never becomes a file name. */
bool postgres_is_address(const char *address);

/* "postgresql://HOST:PORT/DATABASE", for messages: without user and password. Free with g_free. */
char *postgres_name(const char *address);

/* False with error in a build without libpq. */
bool postgres_is_built(GError **error);
