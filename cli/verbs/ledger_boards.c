/* ledger boards, lots and before: what the ledger knows of boards and lots. */
#include <json-glib/json-glib.h>
#include <string.h>

#include "ledger_verb.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/json_stream.h"
#include "views/ledger_json.h"
#include "views/lot_view.h"
#include "views/table.h"
#include "views/times.h"
#include "views/words.h"
#include "wrytograph-host/error.h"
#include "wrytograph-host/inspect.h"
#include "wrytograph-host/lot.h"

enum {
    BOARDS_MOST = 50, /* default number of boards listed */
    LOTS_MOST = 20,
    BEFORE_MOST = 40, /* runs listed before the latest change */
};

/* boards */

struct board_list {
    struct app *app;
    struct table *table;
    guint count;
};

/* "failed at write: the reason"; free with g_free. */
static char *outcome_of(const struct wry_ledger_run *run)
{
    bool ended_well =
        strcmp(run->outcome, "passed") == 0 || strcmp(run->outcome, "done before") == 0;

    return ended_well ? g_strdup(run->outcome)
                      : g_strconcat(run->outcome, run->failed_at ? " at " : "",
                                    words_or(run->failed_at, ""), run->reason ? ": " : "",
                                    words_or(run->reason, ""), NULL);
}

static bool list_board(void *context, const struct wry_ledger_run *run)
{
    struct board_list *list = context;
    g_autofree char *time = times_local(run->began);
    g_autofree char *outcome = outcome_of(run);

    list->count++;
    if (!list->app->json_wanted) {
        table_row(list->table, run->board, words_or(run->name, "-"), time,
                  words_or(run->firmware, "-"), words_or(run->lot, "-"), outcome, NULL);
        return true;
    }
    JsonBuilder *item = json_stream_item();
    json_add(item, json_text("board", run->board), json_text("name", run->name),
             json_text("began", run->began), json_text("firmware", run->firmware),
             json_text("lot", run->lot), json_text("outcome", run->outcome),
             json_text("failed_at", run->failed_at), json_text("reason", run->reason),
             json_text("run", run->id));
    json_stream_add(list->app, item);
    return true;
}

static int by_time(const void *a, const void *b)
{
    const struct wry_ledger_run *x = *(const struct wry_ledger_run *const *)a;
    const struct wry_ledger_run *y = *(const struct wry_ledger_run *const *)b;

    return strcmp(y->began, x->began);
}

/* Runs that did not pass have three outcomes, each with an index of its own. */
static bool each_failed(struct wry_ledger *ledger, struct wry_ledger_filter *filter,
                        struct board_list *list, GError **error)
{
    static const char *const outcomes[] = {"failed", "cut", "stopped"};
    g_autoptr(GPtrArray) runs = g_ptr_array_new_with_free_func((GDestroyNotify)wry_ledger_run_free);
    bool good = true;

    for (size_t i = 0; i < G_N_ELEMENTS(outcomes) && good; i++) {
        filter->outcome = outcomes[i];
        GPtrArray *some = wry_ledger_list(ledger, filter, error);
        good = some != NULL;
        if (good)
            g_ptr_array_extend_and_steal(runs, some);
    }
    g_ptr_array_sort(runs, by_time);
    for (guint i = 0; good && i < runs->len && (filter->most == 0 || i < filter->most); i++)
        list_board(list, g_ptr_array_index(runs, i));
    return good;
}

static int list_boards(struct app *app, struct wry_ledger *ledger, struct wry_ledger_filter *filter,
                       const struct ledger_options *options)
{
    struct board_list list = {
        .app = app,
        .table = table_new(app, "board", "name", "latest run", "firmware", "lot", "outcome", NULL)};
    GError *error = NULL;

    filter->brief = true;
    filter->latest = options->firmware ? WRY_LEDGER_LATEST_FIRMWARE : WRY_LEDGER_LATEST_RUN;
    if (!options->most)
        filter->most = BOARDS_MOST;
    json_stream_begin(app, "boards", false);
    bool good = options->failed ? each_failed(ledger, filter, &list, &error)
                                : wry_ledger_each(ledger, filter, list_board, &list, &error);
    json_stream_end(app);
    table_end(list.table, true);
    if (!good)
        return ledger_fail_read(app, ledger, error);
    if (list.count == 0)
        app_print(app, "No such board is recorded in %s.", wry_ledger_name(ledger));
    else if (filter->most > 0 && list.count == filter->most)
        app_note(app, "The latest %u; --most 0 shows all.", filter->most);
    return EXIT_DONE;
}

/* boards --left */

struct wry_card *ledger_card(struct app *app, const char *path)
{
    g_autoptr(GPtrArray) mistakes = NULL;
    GError *error = NULL;
    struct wry_card *card = wry_card_open(path, NULL, &mistakes, &error);

    if (card)
        return card;
    if (error) {
        explain_error(app, error);
        return NULL;
    }
    g_autofree char *what = app_count(mistakes->len, "mistake");
    app_fail(app, EXIT_BAD_INPUT, "'wrytograph card check' lists them.", "%s: %s", path, what);
    return NULL;
}

static void add_left(struct app *app, struct table *table, const struct wry_lot_board *board)
{
    g_autofree char *row = board->row > 0 ? g_strdup_printf("%u", board->row) : g_strdup("-");
    g_autofree char *why = g_strconcat(words_or(board->failed_at, ""), board->failed_at ? ": " : "",
                                       words_or(board->reason, ""), NULL);

    json_add_object(app->json, json_text("state", lot_view_state(board)),
                    json_if(board->row > 0, json_number("row", board->row)),
                    json_text("name", board->name), json_text("board", board->address),
                    json_text("failed_at", board->failed_at), json_text("reason", board->reason));
    table_row(table, row, words_or(board->name, "-"), words_or(board->address, "-"),
              lot_view_state(board), why, NULL);
}

static int list_left(struct app *app, struct wry_ledger *ledger,
                     const struct ledger_options *options)
{
    struct wry_card *card = ledger_card(app, options->left);
    GError *error = NULL;

    if (!card)
        return app->code;
    struct wry_lot *lot = wry_lot_read(ledger, card, options->lot, &error);
    bool has_lot = options->lot || wry_lot_of_card(card);
    wry_card_close(card);
    if (!lot)
        return ledger_fail_read(app, ledger, error);
    if (!has_lot) {
        wry_lot_free(lot);
        return app_fail(app, EXIT_USAGE, "Add 'boards' or 'count' to the card, or give --lot.",
                        "%s: this card does not say which boards it is for", options->left);
    }
    struct table *table = table_new(app, "line", "name", "board", "state", "reason", NULL);
    json_begin_list(app->json, "boards");
    for (guint i = 0; i < lot->boards->len; i++) {
        const struct wry_lot_board *board = g_ptr_array_index(lot->boards, i);
        if (board->state != WRY_LOT_DONE)
            add_left(app, table, board);
    }
    json_builder_end_array(app->json);
    table_end(table, true);
    g_autofree char *counts = lot_view_counts(lot);
    app_note(app, "Lot %s: %s.", lot->name, counts);
    wry_lot_free(lot);
    return EXIT_DONE;
}

int ledger_boards(struct app *app, struct wry_ledger *ledger, struct wry_ledger_filter *filter,
                  const struct ledger_options *options)
{
    return options->left ? list_left(app, ledger, options)
                         : list_boards(app, ledger, filter, options);
}

/* lots */

static char *latest_of(const struct wry_lot *lot)
{
    const char *latest = NULL;

    for (guint i = 0; i < lot->boards->len; i++) {
        const struct wry_lot_board *board = g_ptr_array_index(lot->boards, i);
        if (board->ended && (!latest || strcmp(board->ended, latest) > 0))
            latest = board->ended;
    }
    return g_strdup(latest);
}

static void add_lot(struct app *app, struct table *table, const struct wry_lot *lot)
{
    g_autofree char *latest = latest_of(lot);
    g_autofree char *time = times_local(latest);
    g_autofree char *done = g_strdup_printf("%u", lot->done);
    g_autofree char *failed = g_strdup_printf("%u", lot->failed);

    json_add_object(app->json, json_text("lot", lot->name), json_number("done", lot->done),
                    json_number("failed", lot->failed), json_text("latest", latest));
    table_row(table, lot->name, done, failed, time, NULL);
}

/* The names of the lots with the latest runs. */
struct lot_names {
    GPtrArray *names;
    GHashTable *seen; /* lends its strings from names */
    unsigned most;
};

static bool take_lot(void *context, const struct wry_ledger_run *run)
{
    struct lot_names *lots = context;

    if (!run->lot || g_hash_table_contains(lots->seen, run->lot))
        return true;
    char *name = g_strdup(run->lot);
    g_ptr_array_add(lots->names, name);
    g_hash_table_add(lots->seen, name);
    return lots->names->len < lots->most;
}

static GPtrArray *find_lots(struct wry_ledger *ledger, unsigned most, bool *more, GError **error)
{
    const struct wry_ledger_filter filter = {.brief = true};
    GPtrArray *all =
        wry_ledger_values(ledger, WRY_LEDGER_LOTS, NULL, most > 0 ? most + 1 : 0, error);
    struct lot_names lots = {.most = most};

    *more = all && most > 0 && all->len > most;
    if (!*more)
        return all;
    g_ptr_array_unref(all);
    lots.names = g_ptr_array_new_with_free_func(g_free);
    lots.seen = g_hash_table_new(g_str_hash, g_str_equal);
    bool good = wry_ledger_each(ledger, &filter, take_lot, &lots, error);
    g_hash_table_unref(lots.seen);
    if (good)
        return lots.names;
    g_ptr_array_unref(lots.names);
    return NULL;
}

int ledger_lots(struct app *app, struct wry_ledger *ledger, const struct wry_ledger_filter *filter,
                const struct ledger_options *options)
{
    GError *error = NULL;
    bool more = false;
    g_autoptr(GPtrArray) names =
        find_lots(ledger, options->most ? filter->most : LOTS_MOST, &more, &error);
    struct table *table = table_new(app, "lot", "done", "failed", "latest run", NULL);

    table_right(table, 1);
    table_right(table, 2);
    json_begin_list(app->json, "lots");
    for (guint i = 0; names && i < names->len && !error; i++) {
        struct wry_lot *lot = wry_lot_read(ledger, NULL, g_ptr_array_index(names, i), &error);
        if (lot)
            add_lot(app, table, lot);
        wry_lot_free(lot);
    }
    json_builder_end_array(app->json);
    table_end(table, true);
    if (!names || error)
        return ledger_fail_read(app, ledger, error);
    if (names->len == 0)
        app_print(app, "No lot is recorded in %s.", wry_ledger_name(ledger));
    else if (more)
        app_note(app, "The latest %u; --most 0 shows all.", names->len);
    return EXIT_DONE;
}

/* before */

static bool changed(const struct wry_ledger_run *run)
{
    return strcmp(run->kind, "backup") != 0 && strcmp(run->outcome, "refused") != 0 &&
           strcmp(run->outcome, "done before") != 0 && (run->contents || run->bytes > 0);
}

static bool wrote_all(const struct wry_ledger_run *run)
{
    return strcmp(run->outcome, "passed") == 0;
}

/* Places that a run wrote: "app: gauge.bin tide-gauge 2.3.0"; free with g_free. */
static char *contents_of(const struct wry_ledger_run *run)
{
    g_autoptr(JsonNode) contents = ledger_json_parse(run->contents);
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < ledger_json_count(contents); i++) {
        JsonObject *content = ledger_json_item(contents, i);
        const char *version = ledger_json_text(content, "version", NULL);
        g_string_append_printf(text, "%s%s: %s", i > 0 ? ", " : "",
                               ledger_json_text(content, "region", "-"),
                               words_or(version, ledger_json_text(content, "file", "")));
    }
    return g_string_free(text, FALSE);
}

/* The programs in a backup; NULL if it cannot be read. Free with g_free. */
static char *programs_in(const char *file)
{
    struct wry_inspection inspection = {0};
    GString *text = g_string_new(NULL);
    bool known = wry_inspect_file(file, NULL, &inspection, NULL) && inspection.whole;

    for (guint i = 0; known && inspection.contents && i < inspection.contents->len; i++) {
        const struct wry_content_of *content = g_ptr_array_index(inspection.contents, i);
        if (content->holds == WRY_HOLDS_PROGRAM)
            g_string_append_printf(text, "%s%s: %s", text->len > 0 ? ", " : "",
                                   content->region.name, content->header.version);
    }
    wry_inspection_clear(&inspection);
    return g_string_free(text, !known);
}

static void tell_backup(const struct app *app, const struct wry_ledger_run *run)
{
    const char *file = run->backup_file;
    g_autofree char *programs = programs_in(file);

    json_add(app->json, json_text("backup", file), json_flag("backup_is_whole", programs != NULL));
    if (programs) {
        app_print(app, "The backup that this change relied on: %s", file);
        if (programs[0])
            app_print(app, "  it holds %s", programs);
        app_print(app, "  To go back: wrytograph restore %s", file);
    } else {
        app_print(app, "The backup that this change relied on cannot be read here: %s", file);
    }
}

static void add_earlier(struct app *app, struct table *table, const struct wry_ledger_run *run)
{
    g_autofree char *time = times_local(run->began);
    g_autofree char *contents = contents_of(run);

    json_add_object(app->json, json_text("run", run->id), json_text("began", run->began),
                    json_text("kind", run->kind), json_text("outcome", run->outcome),
                    json_text("firmware", run->firmware), json_text("backup", run->backup_file));
    table_row(table, time, run->kind, run->outcome, contents, words_or(run->backup_file, "-"),
              NULL);
}

static const struct wry_ledger_run *latest_change(const GPtrArray *runs, guint *at)
{
    for (*at = 0; *at < runs->len; (*at)++) {
        if (changed(g_ptr_array_index(runs, *at)))
            return g_ptr_array_index(runs, *at);
    }
    return NULL;
}

/* The application that was there before, by the runs behind the latest change; NULL = unknown. */
static const struct wry_ledger_run *firmware_before(const GPtrArray *runs, guint at)
{
    for (guint i = at + 1; i < runs->len; i++) {
        const struct wry_ledger_run *run = g_ptr_array_index(runs, i);
        /* A failed write, or a restore, leaves unknown content. */
        if (changed(run) && !run->firmware && strcmp(run->kind, "settings") != 0)
            return NULL;
        if (run->firmware)
            return wrote_all(run) ? run : NULL;
    }
    return NULL;
}

static void tell_before(struct app *app, const GPtrArray *runs, guint at)
{
    const struct wry_ledger_run *change = g_ptr_array_index(runs, at);
    const struct wry_ledger_run *firmware = firmware_before(runs, at);
    g_autofree char *time = times_local(change->began);
    g_autofree char *contents = contents_of(change);

    app_print(app, "Board %s, before its latest change (%s, %s, %s):", change->board, time,
              change->kind, change->outcome);
    if (contents[0])
        app_print(app, "That change wrote %s.", contents);
    json_add(app->json, json_text("board", change->board), json_text("change", change->id),
             json_text("firmware", firmware ? firmware->firmware : NULL));
    if (firmware)
        app_print(app, "By the ledger, its application was %s.", firmware->firmware);
    else
        app_print(app, "The ledger alone does not tell which application it had.");
    if (change->backup_file)
        tell_backup(app, change);
    else
        app_print(app, "That change made and relied on no backup.");
}

int ledger_before(struct app *app, struct wry_ledger *ledger, const char *board)
{
    struct wry_ledger_filter filter = {.most = BEFORE_MOST};
    g_autofree char *address = g_strdup(board);
    GError *error = NULL;
    guint at = 0;
    int code = ledger_filter_board(app, ledger, &address);

    if (code != EXIT_DONE)
        return code;
    filter.board = address;
    g_autoptr(GPtrArray) runs = wry_ledger_list(ledger, &filter, &error);
    if (!runs)
        return ledger_fail_read(app, ledger, error);
    if (!latest_change(runs, &at))
        return app_fail(app, EXIT_WRONG, "'wrytograph ledger list --board' shows its runs.",
                        "no change of board %s is recorded", address);
    tell_before(app, runs, at);
    struct table *table =
        table_new(app, "earlier run", "what", "outcome", "written", "backup", NULL);
    json_begin_list(app->json, "earlier");
    for (guint i = at + 1; i < runs->len; i++)
        add_earlier(app, table, g_ptr_array_index(runs, i));
    json_builder_end_array(app->json);
    table_end(table, true);
    return EXIT_DONE;
}

/* release */

int ledger_release(struct app *app, struct wry_ledger *ledger, const char *board,
                   const struct ledger_options *options)
{
    g_autofree char *address = g_strdup(board);
    GError *error = NULL;
    unsigned row = 0;
    int code = ledger_filter_board(app, ledger, &address);

    if (code != EXIT_DONE)
        return code;
    if (!options->lot)
        return app_fail(app, EXIT_USAGE, "'wrytograph ledger lots' lists them.",
                        "give the lot: --lot NAME");
    if (!wry_ledger_is_server(ledger))
        return app_fail(app, EXIT_USAGE, "Clear the board's address in the table of boards.",
                        "rows are assigned in the table itself: this ledger is a file");
    if (!wry_ledger_release_row(ledger, options->lot, address, &row, &error)) {
        if (!g_error_matches(error, WRY_STORE_ERROR, WRY_STORE_ERROR_NONE))
            return ledger_fail_read(app, ledger, error);
        app_fail(app, EXIT_WRONG, "'wrytograph ledger list --board' shows its runs and their lots.",
                 "%s", error->message);
        g_error_free(error);
        return app->code;
    }
    json_add(app->json, json_number("row", row));
    app_outcome(app, true, "Line %u of lot %s is free again.", row, options->lot);
    app_note(app, "Clear the address of board %s in the tables of the benches, too.", address);
    return EXIT_DONE;
}
