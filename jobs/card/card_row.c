/*
 * The row that a board gets.
 *
 * With a ledger on a server, the server decides (store/ledger/row_claims.h), since benches may have
 * copies of one table. The table of this bench then follows: the row gets the board's address in
 * it, too. A bench that cannot reach the server assigns no row, but boards that have one in its
 * table can be done.
 */
#include "jobs/card/card_row.h"

#include <string.h>

#include "base/digest.h"
#include "jobs/card/card.h"
#include "store/card/board_rows.h"
#include "store/file/error.h"
#include "store/ledger/row_claims.h"
#include "wrytograph-host/units.h"

enum {
    MARK_SIZE = 3,     /* two hexadecimal digits: too few to find a short secret from them */
    RACES_MOST = 1000, /* other benches that were faster */
};

struct assignment {
    const struct card_row_request *request;
    const char *path;
    char *board; /* its address */
    GPtrArray *rows;
    struct row_claims *claims;
    bool is_new; /* the board's claim was made now, and may be taken back */
    bool lost;   /* the server has failed meanwhile */
};

static const char *const *names_of(const struct card_row_request *request)
{
    return (const char *const *)request->card->card->name_columns;
}

static void make_mark(const struct board_row *row, char mark[MARK_SIZE])
{
    uint8_t sha256[WRY_SHA256_SIZE];
    const char *name = row->name ? row->name : "";

    digest_of(name, strlen(name), sha256);
    g_snprintf(mark, MARK_SIZE, "%02x", sha256[0]);
}

static const struct board_row *row_of_line(const struct assignment *a, unsigned line)
{
    for (guint i = 0; i < a->rows->len; i++) {
        const struct board_row *row = g_ptr_array_index(a->rows, i);
        if (row->line == line)
            return row;
    }
    return NULL;
}

static bool is_board(const struct board_row *row, const char *board)
{
    g_autofree char *own = row->has_board ? wry_units_address(row->eui48) : NULL;

    return g_strcmp0(own, board) == 0;
}

/* The row with the board's address; NULL if there is none. */
static const struct board_row *row_here(const struct assignment *a)
{
    for (guint i = 0; i < a->rows->len; i++) {
        const struct board_row *row = g_ptr_array_index(a->rows, i);
        if (is_board(row, a->board))
            return row;
    }
    return NULL;
}

/* A row that was edited after it was assigned still is that row if its address says so. */
static bool agrees(const struct row_claim *claim, const struct board_row *row)
{
    char mark[MARK_SIZE];

    if (!row)
        return false;
    make_mark(row, mark);
    return strcmp(claim->mark, mark) == 0 || is_board(row, claim->board);
}

static bool fail_table(const struct assignment *a, const struct row_claim *claim, GError **error)
{
    return store_error(error, WRY_STORE_ERROR_NONE,
                       "%s: line %u is not the row that board %s got on %s: the tables differ. Use "
                       "the same table on all benches, or another --lot",
                       a->path, claim->row, claim->board, claim->computer);
}

/* If lines were added or removed in the middle, line numbers mean different rows. */
static bool check_table(const struct assignment *a, GError **error)
{
    guint found = 0;

    for (guint i = 0; i < a->rows->len; i++) {
        const struct board_row *row = g_ptr_array_index(a->rows, i);
        const struct row_claim *claim = row_claims_of_row(a->claims, row->line);
        if (claim && !agrees(claim, row))
            return fail_table(a, claim, error);
        found += claim != NULL;
    }
    return found == row_claims_count(a->claims) ||
           store_error(error, WRY_STORE_ERROR_NONE,
                       "%s: %u of the rows that boards of this lot got are missing: the tables "
                       "differ. Use the same table on all benches, or another --lot",
                       a->path, row_claims_count(a->claims) - found);
}

static const struct board_row *next_free(const struct assignment *a)
{
    for (guint i = 0; i < a->rows->len; i++) {
        const struct board_row *row = g_ptr_array_index(a->rows, i);
        if (row->is_of_share && row->is_free &&
            board_rows_is_among(a->request->only, a->request->only_count, row->line) &&
            !row_claims_of_row(a->claims, row->line))
            return row;
    }
    return NULL;
}

static bool fail_taken(const struct assignment *a, unsigned line, const char *by, GError **error)
{
    return store_error(error, WRY_STORE_ERROR_NONE,
                       "%s: line %u has the address of board %s, but the ledger's server gave that "
                       "row to board %s",
                       a->path, line, a->board, by);
}

/* Settles for the row that the board has here or on the server; *line stays 0 if it has none. */
static bool find_own(const struct assignment *a, const struct board_row *here, unsigned *line,
                     GError **error)
{
    const struct row_claim *claim = row_claims_of_board(a->claims, a->board);

    if (!claim)
        return true;
    if (here && here->line != claim->row)
        return store_error(error, WRY_STORE_ERROR_NONE,
                           "%s: line %u has the address of board %s, but the ledger's server gave "
                           "it line %u on %s: correct the column 'address'",
                           a->path, here->line, a->board, claim->row, claim->computer);
    if (!agrees(claim, row_of_line(a, claim->row)))
        return fail_table(a, claim, error);
    *line = claim->row;
    return true;
}

static bool fail_none(const struct assignment *a, GError **error)
{
    const struct board_table_request wanted = {.rows = CARD_ROWS_NEXT,
                                               .share = a->request->card->card->share,
                                               .eui48 = a->request->eui48,
                                               .only_count = a->request->only_count};

    return board_table_fail_none(a->path, &wanted, error);
}

/* Claims the next free row, or the one with the board's address. *line stays 0 if another bench was
 * faster. */
static bool claim_next(struct assignment *a, const struct board_row *here, unsigned *line,
                       GError **error)
{
    const struct board_row *row = here ? here : next_free(a);
    const struct row_claim *other = here ? row_claims_of_row(a->claims, here->line) : NULL;
    char mark[MARK_SIZE];
    bool added = true;

    if (!row)
        return fail_none(a, error);
    if (other)
        return fail_taken(a, here->line, other->board, error);
    make_mark(row, mark);
    if (!a->request->dry_run &&
        !row_claims_add(a->claims, a->board, row->line, mark, &added, error)) {
        a->lost = true;
        return false;
    }
    a->is_new = added;
    *line = added ? row->line : 0;
    return true;
}

/* Writes the board's address to the row in the table. If another board has that row there, from a
 * time without server, a claim that was just made is taken back, and *line is 0. A claim that the
 * board had before is the board's for good: then a person must decide. */
static bool mark_here(struct assignment *a, unsigned *line, GError **error)
{
    GError *failure = NULL;
    bool taken = false;

    if (board_table_mark(a->path, *line, a->request->eui48, &taken, &failure))
        return true;
    if (!taken) {
        g_propagate_error(error, failure);
        return false;
    }
    g_clear_error(&failure);
    if (!a->is_new)
        return store_error(error, WRY_STORE_ERROR_NONE,
                           "%s: line %u has the address of another board, but the ledger's server "
                           "gave that row to board %s: correct the column 'address'",
                           a->path, *line, a->board);
    if (!row_claims_remove(a->claims, a->board, *line, error)) {
        a->lost = true;
        return false;
    }
    *line = 0;
    g_ptr_array_unref(a->rows);
    a->rows = board_rows_load(a->path, names_of(a->request), a->request->card->card->share, error);
    return a->rows != NULL;
}

static bool read_again(struct assignment *a, GError **error)
{
    a->lost = !row_claims_read(a->claims, error);
    return !a->lost;
}

static bool assign(struct assignment *a, unsigned *line, GError **error)
{
    bool good = true;

    *line = 0;
    for (unsigned i = 0; good && *line == 0 && i < RACES_MOST; i++) {
        const struct board_row *here = row_here(a);
        good = (i == 0 || read_again(a, error)) && find_own(a, here, line, error);
        if (good && *line == 0)
            good = check_table(a, error) && claim_next(a, here, line, error);
        if (good && *line > 0 && !here && !a->request->dry_run)
            good = mark_here(a, line, error);
    }
    return good && (*line > 0 || fail_none(a, error));
}

/* The line of the board's row by the ledger's server; 0 with error. */
static unsigned ask_server(const struct card_row_request *request, const char *path, bool *unknown,
                           GError **error)
{
    const struct card *card = request->card->card;
    struct assignment a = {.request = request,
                           .path = path,
                           .board = wry_units_address(request->eui48),
                           .rows = board_rows_load(path, names_of(request), card->share, error)};
    GError *failure = NULL;
    unsigned line = 0, line_here = 0;

    if (!a.rows) {
        g_free(a.board);
        return 0;
    }
    const struct board_row *here = row_here(&a);
    line_here = here ? here->line : 0;
    a.claims = row_claims_open(request->ledger, request->lot, &failure);
    a.lost = a.claims == NULL;
    if (a.claims && !assign(&a, &line, &failure))
        line = 0;
    /* Without the server, a board that has a row in this table can be done. */
    if (a.lost) {
        line = line_here;
        *unknown = line == 0;
    }
    if (failure && line == 0)
        g_propagate_error(error, g_steal_pointer(&failure));
    g_clear_error(&failure);
    row_claims_close(a.claims);
    if (a.rows)
        g_ptr_array_unref(a.rows);
    g_free(a.board);
    return line;
}

/* A kit is read-only: rows are marked in a copy of its table in the same folder, made once. */
static char *table_to_use(const struct card_row_request *request, GError **error)
{
    const char *original = request->card->card->table;
    g_autofree char *path = card_table(request->card);

    if (request->dry_run && !g_file_test(path, G_FILE_TEST_EXISTS))
        return g_strdup(original);
    return strcmp(path, original) == 0 || board_table_copy(original, path, error)
               ? g_steal_pointer(&path)
               : NULL;
}

/* For a card whose rows only a server assigns, without one: the board's row in the table. */
static GPtrArray *take_own(const struct card_row_request *request, const char *path,
                           struct board_table_request *options, struct board_table_row *found,
                           bool *unknown, GError **error)
{
    GError *failure = NULL;

    options->rows = CARD_ROWS_BY_ADDRESS;
    GPtrArray *values = board_table_take(path, options, found, &failure);
    if (values)
        return values;
    *unknown = true;
    g_clear_error(&failure);
    store_error(error, WRY_STORE_ERROR_NONE,
                "this card needs a ledger on a server (--ledger, WRYTOGRAPH_LEDGER), and this one "
                "is %s",
                request->ledger ? wry_ledger_name(request->ledger) : "missing");
    return NULL;
}

GPtrArray *card_row_take(const struct card_row_request *request, struct board_table_row *found,
                         bool *unknown, GError **error)
{
    const struct card *card = request->card->card;
    bool by_server =
        request->ledger && card->rows == CARD_ROWS_NEXT && wry_ledger_is_server(request->ledger);
    struct board_table_request options = {.rows = card->rows,
                                          .share = card->share,
                                          .names = names_of(request),
                                          .eui48 = request->eui48,
                                          .claim = !request->dry_run,
                                          .only = request->only,
                                          .only_count = request->only_count};
    g_autofree char *path = card->table ? table_to_use(request, error) : NULL;

    *unknown = false;
    *found = (struct board_table_row){0};
    if (!path)
        return NULL;
    if (card->server_only && !by_server)
        return take_own(request, path, &options, found, unknown, error);
    if (by_server) {
        options.line = ask_server(request, path, unknown, error);
        if (options.line == 0)
            return NULL;
    }
    return board_table_take(path, &options, found, error);
}
