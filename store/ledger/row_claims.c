/* Rows assigned on the ledger's server. */
#include "store/ledger/row_claims.h"

#include "store/file/error.h"
#include "store/ledger/ledger.h"
#include "store/ledger/ledger_postgres.h"

#define CONNECT_TIME 5000000 /* us */

struct row_claims {
    struct ledger_postgres *server;
    char *lot;
    GHashTable *by_row; /* owns the claims */
    GHashTable *by_board;
};

static void free_claim(void *item)
{
    struct row_claim *claim = item;

    g_free(claim->board);
    g_free(claim->mark);
    g_free(claim->computer);
    g_free(claim);
}

static bool take(void *context, const struct row_claim *claim)
{
    struct row_claims *claims = context;
    struct row_claim *copy = g_new0(struct row_claim, 1);

    *copy = (struct row_claim){claim->row, g_strdup(claim->board), g_strdup(claim->mark),
                               g_strdup(claim->computer)};
    g_hash_table_insert(claims->by_row, GUINT_TO_POINTER(copy->row), copy);
    g_hash_table_insert(claims->by_board, copy->board, copy);
    return true;
}

bool row_claims_read(struct row_claims *claims, GError **error)
{
    g_hash_table_remove_all(claims->by_board);
    g_hash_table_remove_all(claims->by_row);
    return ledger_postgres_each_claim(claims->server, claims->lot, take, claims, error);
}

struct row_claims *row_claims_open(struct wry_ledger *ledger, const char *lot, GError **error)
{
    struct row_claims *claims = g_new0(struct row_claims, 1);

    claims->lot = g_strdup(lot);
    claims->by_row = g_hash_table_new_full(NULL, NULL, NULL, free_claim);
    claims->by_board = g_hash_table_new(g_str_hash, g_str_equal);
    claims->server = ledger_server(ledger, CONNECT_TIME, error);
    if (claims->server && row_claims_read(claims, error))
        return claims;
    row_claims_close(claims);
    return NULL;
}

void row_claims_close(struct row_claims *claims)
{
    if (!claims)
        return;
    ledger_postgres_close(claims->server);
    g_hash_table_unref(claims->by_board);
    g_hash_table_unref(claims->by_row);
    g_free(claims->lot);
    g_free(claims);
}

const struct row_claim *row_claims_of_board(const struct row_claims *claims, const char *board)
{
    return g_hash_table_lookup(claims->by_board, board);
}

const struct row_claim *row_claims_of_row(const struct row_claims *claims, unsigned row)
{
    return g_hash_table_lookup(claims->by_row, GUINT_TO_POINTER(row));
}

unsigned row_claims_count(const struct row_claims *claims)
{
    return g_hash_table_size(claims->by_row);
}

bool row_claims_add(struct row_claims *claims, const char *board, unsigned row, const char *mark,
                    bool *added, GError **error)
{
    const struct row_claim claim = {row, (char *)board, (char *)mark, (char *)g_get_host_name()};

    return ledger_postgres_claim(claims->server, claims->lot, &claim, added, error);
}

bool row_claims_remove(struct row_claims *claims, const char *board, unsigned row, GError **error)
{
    return ledger_postgres_unclaim(claims->server, claims->lot, board, row, error);
}

bool wry_ledger_release_row(struct wry_ledger *ledger, const char *lot, const char *board,
                            unsigned *row, GError **error)
{
    struct row_claims *claims = row_claims_open(ledger, lot, error);
    const struct row_claim *claim = claims ? row_claims_of_board(claims, board) : NULL;

    *row = claim ? claim->row : 0;
    if (claims && !claim)
        store_error(error, WRY_STORE_ERROR_NONE, "board %s has no row in the lot '%s'", board, lot);
    bool released = claim && row_claims_remove(claims, board, *row, error);
    row_claims_close(claims);
    return released;
}
