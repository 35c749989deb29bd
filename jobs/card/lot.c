/*
 * The state of a lot.
 *
 * Runs are read the latest first, so the first run of a board that counts gives its state. A board
 * is known by its address; a row of the table by its line. A row has the state of the board that
 * has it now, or had it last: if a faulty board was replaced by another one, the row is done when
 * that one is.
 */
#include "wrytograph-host/lot.h"

#include <string.h>

#include "jobs/card/card.h"
#include "store/card/board_rows.h"
#include "wrytograph-host/units.h"

enum {
    GAPS_MOST = 20, /* boards from which the pace is taken */
};

#define BREAK_TIME (15 * 60.0) /* s without a board: a break, which does not count for the pace */

struct reading {
    struct wry_lot *lot;
    GHashTable *by_address; /* struct wry_lot_board; the lot's arrays own them */
    GHashTable *by_row;
    GHashTable *links; /* links with a later run */
    GArray *ends;      /* double: seconds, the latest first */
    bool by_table;     /* the total is the number of rows */
};

static void free_board(void *item)
{
    struct wry_lot_board *board = item;

    g_free(board->name);
    g_free(board->address);
    g_free(board->ended);
    g_free(board->firmware);
    g_free(board->failed_at);
    g_free(board->reason);
    g_free(board->advice);
    g_free(board->link);
    g_free(board->computer);
    g_free(board);
}

void wry_lot_free(struct wry_lot *lot)
{
    if (!lot)
        return;
    g_ptr_array_unref(lot->boards);
    g_ptr_array_unref(lot->silent);
    g_free(lot->name);
    g_free(lot);
}

const char *wry_lot_of_card(const struct wry_card *card)
{
    return card->lot;
}

/* The table. */

static void add_row(struct reading *r, const struct board_row *row)
{
    struct wry_lot_board *board = g_new0(struct wry_lot_board, 1);

    board->row = row->line;
    board->name = g_strdup(row->name);
    board->address = row->has_board ? wry_units_address(row->eui48) : NULL;
    board->state = row->is_used ? WRY_LOT_DONE : WRY_LOT_LEFT;
    g_ptr_array_add(r->lot->boards, board);
    g_hash_table_insert(r->by_row, GUINT_TO_POINTER(row->line), board);
    if (board->address)
        g_hash_table_insert(r->by_address, board->address, board);
}

static bool read_table(struct reading *r, const struct wry_card *card, bool shared, GError **error)
{
    const struct card *own = card->card;
    g_autofree char *path = card_table(card);
    const char *table = g_file_test(path, G_FILE_TEST_EXISTS) ? path : own->table;
    g_autoptr(GPtrArray) rows =
        board_rows_load(table, (const char *const *)own->name_columns, own->share, error);

    for (guint i = 0; rows && i < rows->len; i++) {
        const struct board_row *row = g_ptr_array_index(rows, i);
        bool set_aside = !row->has_board && !row->is_used && !row->is_free;
        /* Of a kit without a server, other benches have the other rows. */
        if ((shared || row->is_of_share) && !set_aside)
            add_row(r, row);
    }
    return rows != NULL;
}

/* Runs. */

static double seconds_of(const char *time)
{
    g_autoptr(GDateTime) at = time ? g_date_time_new_from_iso8601(time, NULL) : NULL;

    return at ? (double)g_date_time_to_unix(at) + g_date_time_get_seconds(at) -
                    g_date_time_get_second(at)
              : 0;
}

static enum wry_lot_state state_of(const struct wry_ledger_run *run)
{
    if (strcmp(run->outcome, "passed") == 0 || strcmp(run->outcome, "done before") == 0)
        return WRY_LOT_DONE;
    return strcmp(run->outcome, "running") == 0 ? WRY_LOT_RUNNING : WRY_LOT_FAILED;
}

static void replace(char **member, const char *text)
{
    g_free(*member);
    *member = g_strdup(text);
}

static void take_latest(struct wry_lot_board *board, const struct wry_ledger_run *run)
{
    bool failed = state_of(run) == WRY_LOT_FAILED;

    board->state = state_of(run);
    replace(&board->ended, run->ended);
    replace(&board->firmware, run->firmware);
    replace(&board->failed_at, failed ? run->failed_at : NULL);
    replace(&board->reason, failed ? (run->reason ? run->reason : run->outcome) : NULL);
    replace(&board->advice, failed ? run->advice : NULL);
    replace(&board->link, run->link);
    replace(&board->computer, run->computer);
    if (run->name)
        replace(&board->name, run->name);
}

static struct wry_lot_board *add_board(struct reading *r, const struct wry_ledger_run *run)
{
    struct wry_lot_board *board = g_new0(struct wry_lot_board, 1);

    board->address = g_strdup(run->board);
    if (run->lot_row > 0) {
        board->row = (unsigned)run->lot_row;
        g_hash_table_insert(r->by_row, GUINT_TO_POINTER(board->row), board);
    }
    g_ptr_array_add(r->lot->boards, board);
    g_hash_table_insert(r->by_address, board->address, board);
    return board;
}

/* A board whose later runs ended before it got its row is the board of that row. */
static struct wry_lot_board *unite(struct reading *r, struct wry_lot_board *board,
                                   struct wry_lot_board *row)
{
    struct wry_lot_board kept = *row;

    *row = *board;
    row->row = kept.row;
    if (row->name)
        g_free(kept.name);
    else
        row->name = kept.name;
    g_hash_table_insert(r->by_address, row->address, row);
    *board = (struct wry_lot_board){0};
    g_ptr_array_remove(r->lot->boards, board);
    return row;
}

/* NULL for a run that no longer counts: the board has another row now, or the row another board. */
static struct wry_lot_board *find_board(struct reading *r, const struct wry_ledger_run *run)
{
    struct wry_lot_board *board = g_hash_table_lookup(r->by_address, run->board);
    struct wry_lot_board *row =
        run->lot_row > 0 ? g_hash_table_lookup(r->by_row, GUINT_TO_POINTER((guint)run->lot_row))
                         : NULL;

    if (board && row && board->row == 0 && !row->address)
        return unite(r, board, row);
    if (board)
        return row && row != board ? NULL : board;
    if (!row)
        return add_board(r, run);
    if (row->address)
        return NULL;
    row->address = g_strdup(run->board);
    g_hash_table_insert(r->by_address, row->address, row);
    return row;
}

static void take_silent(struct reading *r, const struct wry_ledger_run *run)
{
    struct wry_lot_board *board;

    if (strcmp(run->outcome, "failed") != 0 || g_hash_table_contains(r->links, run->link))
        return;
    board = g_new0(struct wry_lot_board, 1);
    take_latest(board, run);
    board->runs = 1;
    g_ptr_array_add(r->lot->silent, board);
}

static bool take(void *context, const struct wry_ledger_run *run)
{
    struct reading *r = context;
    double end = seconds_of(run->ended);

    if (strcmp(run->outcome, "refused") == 0)
        return true;
    /* A board that was done before took no time. */
    if (end > 0 && r->ends->len <= GAPS_MOST && strcmp(run->outcome, "done before") != 0)
        g_array_append_val(r->ends, end);
    struct wry_lot_board *board = run->board ? find_board(r, run) : NULL;
    if (board && board->runs++ == 0)
        take_latest(board, run);
    if (!run->board && run->link)
        take_silent(r, run);
    if (run->link)
        g_hash_table_add(r->links, g_strdup(run->link));
    return true;
}

/* Figures. */

static int by_size(const void *a, const void *b)
{
    double x = *(const double *)a, y = *(const double *)b;

    return (x > y) - (x < y);
}

static double pace_of(const GArray *ends)
{
    g_autoptr(GArray) gaps = g_array_new(FALSE, FALSE, sizeof(double));

    for (guint i = 0; i + 1 < ends->len; i++) {
        double gap = g_array_index(ends, double, i) - g_array_index(ends, double, i + 1);
        gap = MAX(gap, 0);
        if (gap < BREAK_TIME)
            g_array_append_val(gaps, gap);
    }
    g_array_sort(gaps, by_size);
    return gaps->len > 0 ? g_array_index(gaps, double, gaps->len / 2) : 0;
}

static void count(struct reading *r, unsigned planned)
{
    struct wry_lot *lot = r->lot;

    for (guint i = 0; i < lot->boards->len; i++) {
        const struct wry_lot_board *board = g_ptr_array_index(lot->boards, i);
        lot->done += board->state == WRY_LOT_DONE;
        lot->failed += board->state == WRY_LOT_FAILED;
        lot->running += board->state == WRY_LOT_RUNNING;
    }
    lot->total = r->by_table ? g_hash_table_size(r->by_row) : planned;
    unsigned ended = lot->done + lot->failed;
    lot->left = lot->total > ended ? lot->total - ended : 0;
    lot->pace = pace_of(r->ends);
}

struct wry_lot *wry_lot_read(struct wry_ledger *ledger, const struct wry_card *card,
                             const char *name, GError **error)
{
    struct reading r = {.lot = g_new0(struct wry_lot, 1),
                        .by_address = g_hash_table_new(g_str_hash, g_str_equal),
                        .by_row = g_hash_table_new(NULL, NULL),
                        .links = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL),
                        .ends = g_array_new(FALSE, FALSE, sizeof(double)),
                        .by_table = card && card->card->table};
    struct wry_ledger_filter filter = {.brief = true, .kind = "card"};
    bool shared = ledger && wry_ledger_is_server(ledger);

    r.lot->name = g_strdup(name || !card ? name : card->lot);
    r.lot->boards = g_ptr_array_new_with_free_func(free_board);
    r.lot->silent = g_ptr_array_new_with_free_func(free_board);
    filter.lot = r.lot->name;
    bool good = !r.by_table || read_table(&r, card, shared, error);
    if (good && ledger && r.lot->name)
        good = wry_ledger_each(ledger, &filter, take, &r, error);
    if (good)
        count(&r, card ? card->card->count : 0);
    g_hash_table_unref(r.by_address);
    g_hash_table_unref(r.by_row);
    g_hash_table_unref(r.links);
    g_array_unref(r.ends);
    if (good)
        return r.lot;
    wry_lot_free(r.lot);
    return NULL;
}
