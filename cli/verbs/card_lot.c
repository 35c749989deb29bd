/* The lot of a run. */
#include "card_lot.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "views/lot_view.h"

/* Without its ledger, the table alone does not tell what failed, or was done elsewhere. */
void card_lot_read(struct card_lot *lot)
{
    g_autoptr(GError) error = NULL;

    if (!lot->name)
        return;
    wry_lot_free(lot->rows);
    lot->rows = wry_lot_read(lot->app->ledger, lot->card, lot->name, &error);
    lot->state = lot->app->ledger ? lot->rows : NULL;
    if (!lot->rows && !lot->told)
        app_note(lot->app, "Note: where the lot stands is not known now: %s.", error->message);
    lot->told = lot->rows == NULL;
}

/* --only */

/* The name, or one of its parts: "gauge 12" of "gauge 12, pier C". */
static bool is_named(const struct wry_lot_board *board, const char *text)
{
    g_auto(GStrv) parts = g_strsplit(board->name ? board->name : "", ", ", -1);

    return g_strcmp0(board->name, text) == 0 || g_strv_contains((const char *const *)parts, text) ||
           (board->address && g_ascii_strcasecmp(board->address, text) == 0);
}

static int add_named(const struct card_lot *lot, const char *text, GArray *lines)
{
    guint before = lines->len;

    for (guint i = 0; i < lot->rows->boards->len; i++) {
        const struct wry_lot_board *board = g_ptr_array_index(lot->rows->boards, i);
        if (board->row > 0 && is_named(board, text))
            g_array_append_val(lines, board->row);
    }
    if (lines->len > before)
        return EXIT_DONE;
    return app_fail(lot->app, EXIT_USAGE,
                    "Give the line of a row in the table, lines such as 5-8, its name such as "
                    "'gauge 12', or the address of its board.",
                    "--only: no row of the table is '%s'", text);
}

/* Lines of rows are not always next to each other: a field may have several lines. */
static int add_lines(const struct card_lot *lot, const char *text, GArray *lines)
{
    unsigned first = 0, last = 0;
    int used = 0;
    bool is_range = sscanf(text, "%7u-%7u%n", &first, &last, &used) == 2 && text[used] == '\0';
    bool is_line = !is_range && sscanf(text, "%7u%n", &first, &used) == 1 && text[used] == '\0';
    guint before = lines->len;

    if (!is_range && !is_line)
        return add_named(lot, text, lines);
    if (is_line)
        last = first;
    for (guint i = 0; i < lot->rows->boards->len; i++) {
        const struct wry_lot_board *board = g_ptr_array_index(lot->rows->boards, i);
        if (board->row >= first && board->row <= last && board->row > 0)
            g_array_append_val(lines, board->row);
    }
    return lines->len > before
               ? EXIT_DONE
               : app_fail(lot->app, EXIT_USAGE, "The first line has the names of the columns.",
                          "--only: the table has no row in line %s", text);
}

static int by_number(const void *a, const void *b)
{
    unsigned x = *(const unsigned *)a, y = *(const unsigned *)b;

    return (x > y) - (x < y);
}

static int find_rows(struct card_lot *lot, char **texts)
{
    g_autoptr(GArray) lines = g_array_new(FALSE, FALSE, sizeof(unsigned));
    struct wry_card_facts facts;
    int code = EXIT_DONE;

    wry_card_get_facts(lot->card, &facts);
    if (!facts.by_row)
        return app_fail(lot->app, EXIT_USAGE, "Leave it out, or add 'boards' to the card.",
                        "--only: this card has no table of boards");
    if (!lot->rows)
        return app_fail(lot->app, EXIT_BAD_INPUT, NULL, "--only: the table could not be read");
    for (char **text = texts; *text && code == EXIT_DONE; text++)
        code = add_lines(lot, *text, lines);
    g_array_sort(lines, by_number);
    lot->only_count = lines->len;
    lot->only = g_array_steal(lines, NULL);
    return code;
}

int card_lot_begin(struct app *app, const struct wry_card *card, const struct card_options *options,
                   struct card_lot *lot)
{
    *lot = (struct card_lot){.app = app,
                             .card = card,
                             .name = options->lot ? options->lot : wry_lot_of_card(card),
                             .failed_only = options->failed,
                             .again = options->again};
    if (options->failed && !lot->name)
        return app_fail(app, EXIT_USAGE,
                        "A card with 'boards' or 'count' has a lot; for others give --lot.",
                        "--failed: these runs belong to no lot");
    card_lot_read(lot);
    return options->only ? find_rows(lot, options->only) : EXIT_DONE;
}

void card_lot_end(struct card_lot *lot)
{
    wry_lot_free(lot->rows);
    g_free(lot->only);
}

void card_lot_prepare(const struct card_lot *lot, struct wry_run_options *options)
{
    options->only_failed = lot->failed_only;
    options->only_rows = lot->only;
    options->only_count = lot->only_count;
}

static bool is_wanted(const struct card_lot *lot, const struct wry_lot_board *board)
{
    bool among = lot->only_count == 0 || bsearch(&board->row, lot->only, lot->only_count,
                                                 sizeof *lot->only, by_number) != NULL;

    return among && (!lot->failed_only || board->state == WRY_LOT_FAILED);
}

bool card_lot_is_done(const struct card_lot *lot)
{
    const struct wry_lot *state = lot->state;

    if (!state || lot->again)
        return false;
    if (!lot->failed_only && lot->only_count == 0)
        return state->total > 0 && state->done >= state->total;
    for (guint i = 0; i < state->boards->len; i++) {
        const struct wry_lot_board *board = g_ptr_array_index(state->boards, i);
        if (board->state != WRY_LOT_DONE && is_wanted(lot, board))
            return false;
    }
    return !lot->failed_only || state->silent->len == 0;
}

char *card_lot_next(const struct card_lot *lot)
{
    GPtrArray *boards = lot->state ? lot->state->boards : NULL;

    for (guint i = 0; boards && i < boards->len; i++) {
        const struct wry_lot_board *board = g_ptr_array_index(boards, i);
        bool fits = lot->failed_only ? board->state == WRY_LOT_FAILED
                                     : board->state == WRY_LOT_LEFT && board->row > 0;
        if (!fits || !is_wanted(lot, board))
            continue;
        g_autofree char *who = lot_view_board(board);
        return board->row > 0 ? g_strdup_printf("%s (line %u)", who, board->row)
                              : g_steal_pointer(&who);
    }
    return NULL;
}

void card_lot_conclude(struct card_lot *lot, GHashTable *shown)
{
    if (!lot->state)
        return;
    lot_view_summary(lot->app, lot->state, shown);
    lot_view_add_json(lot->app->json, lot->state);
}
