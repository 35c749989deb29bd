/* A build without libpq: ledgers of servers are refused when they are opened. */
#include <string.h>

#include "store/file/error.h"
#include "store/ledger/ledger_postgres.h"
#include "store/ledger/postgres_address.h"

/* As much as libpq would take for one, so that no password becomes a file name. */
bool postgres_is_address(const char *address)
{
    return strstr(address, "://") || strchr(address, '=');
}

char *postgres_name(const char *address)
{
    (void)address;
    return g_strdup("a PostgreSQL server");
}

bool postgres_is_built(GError **error)
{
    store_error(error, WRY_STORE_ERROR_FILE,
                "this build has no ledgers on PostgreSQL servers; give a file, or build with "
                "WRY_POSTGRES");
    return false;
}

struct ledger_postgres *ledger_postgres_open(const char *address, int64_t deadline, GError **error)
{
    (void)address, (void)deadline;
    postgres_is_built(error);
    return NULL;
}

void ledger_postgres_close(struct ledger_postgres *server)
{
    (void)server;
}

bool ledger_postgres_is_exposed(const struct ledger_postgres *server)
{
    (void)server;
    return false;
}

enum ledger_sent ledger_postgres_put(struct ledger_postgres *server, const GPtrArray *runs,
                                     GError **error)
{
    (void)server, (void)runs;
    postgres_is_built(error);
    return LEDGER_UNSENT;
}

bool ledger_postgres_each(struct ledger_postgres *server, const struct wry_ledger_filter *filter,
                          wry_ledger_take take, void *context, GError **error)
{
    (void)server, (void)filter, (void)take, (void)context;
    return postgres_is_built(error);
}

bool ledger_postgres_values(struct ledger_postgres *server, enum wry_ledger_field field,
                            const char *part, unsigned most, GPtrArray *found, GError **error)
{
    (void)server, (void)field, (void)part, (void)most, (void)found;
    return postgres_is_built(error);
}

bool ledger_postgres_each_claim(struct ledger_postgres *server, const char *lot,
                                bool (*take)(void *context, const struct row_claim *claim),
                                void *context, GError **error)
{
    (void)server, (void)lot, (void)take, (void)context;
    return postgres_is_built(error);
}

bool ledger_postgres_claim(struct ledger_postgres *server, const char *lot,
                           const struct row_claim *claim, bool *added, GError **error)
{
    (void)server, (void)lot, (void)claim;
    *added = false;
    return postgres_is_built(error);
}

bool ledger_postgres_unclaim(struct ledger_postgres *server, const char *lot, const char *board,
                             unsigned row, GError **error)
{
    (void)server, (void)lot, (void)board, (void)row;
    return postgres_is_built(error);
}
