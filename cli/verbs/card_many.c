/* card run: on many boards at once. */
#include <json-glib/json-glib.h>
#include <string.h>

#include "card_listener.h"
#include "card_lot.h"
#include "card_verb.h"
#include "views/board_log.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/lot_view.h"
#include "views/many.h"
#include "views/run_outcome.h"
#include "wrytograph-host/units.h"

struct many {
    struct app *app;
    struct wry_card *card;
    struct wry_many_board *boards;
    struct many_row *rows;
    struct board_log **logs;
    size_t count;
    struct many_view *view;
    struct card_lot lot;
};

/* Updates the rows and logs of boards that have ended. */
static void turn(void *context)
{
    struct many *many = context;

    for (size_t i = 0; i < many->count; i++) {
        struct many_row *row = &many->rows[i];
        const struct wry_many_board *board = &many->boards[i];
        if (row->ended > 0 || !wry_many_has_ended(board))
            continue;
        board_log_masked_by(many->logs[i], NULL); /* the station is gone */
        g_mutex_lock(&row->lock);
        row->ended = g_get_monotonic_time();
        row->outcome = board->outcome;
        row->done_before = board->result.done_before;
        row->words = g_strdup(board->cause ? board->cause : board->words);
        row->who = g_strdup(board->result.row_name);
        g_mutex_unlock(&row->lock);
    }
    many_view_draw(many->view);
}

static void add_json(const struct many *many)
{
    struct wry_spent *spent = &many->app->spent;

    json_begin_list(many->app->json, "boards");
    for (size_t i = 0; i < many->count; i++) {
        const struct wry_many_board *board = &many->boards[i];
        json_builder_begin_object(many->app->json);
        json_add(many->app->json, json_text("link", many->rows[i].link),
                 json_number("exit_code", board->outcome), json_text("error", board->words),
                 json_text("advice", board->advice));
        run_outcome_add_json(many->app->json, &board->result);
        spent->bytes_sent += board->result.bytes_sent;
        spent->bytes_received += board->result.bytes_received;
        json_builder_end_object(many->app->json);
    }
    json_builder_end_array(many->app->json);
}

/* Prints a line per board, passed ones first, and the totals. */
static int conclude(const struct many *many)
{
    struct app *app = many->app;
    enum wry_outcome worst = WRY_OUTCOME_DONE;
    size_t passed = 0, before = 0;

    for (unsigned pass = 0; pass < 2; pass++) {
        for (size_t i = 0; i < many->count; i++) {
            const struct wry_many_board *board = &many->boards[i];
            bool good = board->outcome == WRY_OUTCOME_DONE;
            if (good != (pass == 0))
                continue;
            g_autofree char *line = run_outcome_line(board->outcome, &board->result, many->card,
                                                     board->words, board->simulated);
            app_outcome(app, good, "%-12s %s", many->rows[i].link, line);
            lot_view_advice(app, board->advice);
            if (many->logs[i])
                board_log_line(many->logs[i], line);
            if (many->logs[i] && board->advice)
                board_log_line(many->logs[i], board->advice);
            before += good && board->result.done_before;
            passed += good && !board->result.done_before;
            worst = run_outcome_worse(worst, board->outcome);
        }
    }
    add_json(many);
    json_add(app->json, json_number("passed", (int64_t)passed),
             json_number("done_before", (int64_t)before));
    g_autofree char *also =
        before > 0 ? g_strdup_printf(", %zu were done before", before) : g_strdup("");
    app_outcome(app, worst == WRY_OUTCOME_DONE, "%zu of %zu boards passed%s.", passed, many->count,
                also);
    if (worst == WRY_OUTCOME_DONE)
        return EXIT_DONE;
    app->told = true;
    return app_fail(app, (enum exit_code)worst, NULL, "%zu of %zu boards failed",
                    many->count - passed - before, many->count);
}

/* Warns of two links that lead to one board: one board is missing then. */
static void tell_same(const struct many *many)
{
    for (size_t i = 0; i < many->count; i++) {
        for (size_t k = i + 1; k < many->count; k++) {
            const struct wry_run_result *a = &many->boards[i].result, *b = &many->boards[k].result;
            if (a->known && b->known && memcmp(a->address, b->address, sizeof a->address) == 0)
                app_note(many->app, "Note: %s and %s have boards with the same address.",
                         many->rows[i].link, many->rows[k].link);
        }
    }
}

/* The boards of this run were shown above. */
static void conclude_lot(struct many *many)
{
    g_autoptr(GHashTable) shown = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL);

    if (!many->lot.state || many->app->dry_run)
        return;
    for (size_t i = 0; i < many->count; i++) {
        g_hash_table_add(shown, g_strdup(many->rows[i].link));
        if (many->boards[i].result.known)
            g_hash_table_add(shown, wry_units_address(many->boards[i].result.address));
    }
    card_lot_read(&many->lot);
    card_lot_conclude(&many->lot, shown);
}

static bool open_logs(struct many *many, const char *folder)
{
    GError *error = NULL;

    for (size_t i = 0; i < many->count; i++) {
        many->logs[i] = board_log_open(folder, many->rows[i].link, &error);
        if (many->logs[i])
            continue;
        explain_error(many->app, error);
        return false;
    }
    return true;
}

static int run(struct many *many, const struct card_options *options,
               struct card_listener *listeners)
{
    struct wry_station_settings settings;
    struct wry_run_options job_options = {
        .card = many->card, .dry_run = many->app->dry_run, .again = options->again};
    g_autofree char *folder = options->logs ? g_strdup(options->logs) : board_log_folder();
    int code = station_settings(many->app, &settings);

    if (code != EXIT_DONE)
        return code;
    settings.lot = options->lot;
    wry_card_prepare(many->card, &settings);
    code = card_lot_begin(many->app, many->card, options, &many->lot);
    if (code != EXIT_DONE)
        return code;
    card_lot_prepare(&many->lot, &job_options);
    settings.event = card_listener_event;
    settings.board = card_listener_board;
    if (!open_logs(many, folder))
        return many->app->code;
    for (size_t i = 0; i < many->count; i++) {
        listeners[i] = (struct card_listener){.row = &many->rows[i], .log = many->logs[i]};
        settings.link = many->rows[i].link;
        settings.context = &listeners[i];
        many->boards[i].settings = settings;
    }
    many->view = many_view_new(many->app, many->rows, many->count);
    wry_run_many(&job_options, many->boards, many->count, turn, many);
    many_view_draw(many->view);
    many_view_free(many->view);
    tell_same(many);
    code = conclude(many);
    conclude_lot(many);
    app_note(many->app, "Logs: %s", folder);
    return code;
}

int card_run_many(struct app *app, struct wry_card *card, const GPtrArray *links,
                  const struct card_options *options)
{
    size_t count = links->len;
    struct many many = {.app = app,
                        .card = card,
                        .count = count,
                        .boards = g_new0(struct wry_many_board, count),
                        .rows = g_new0(struct many_row, count),
                        .logs = g_new0(struct board_log *, count)};
    struct card_listener *listeners = g_new0(struct card_listener, count);

    for (size_t i = 0; i < count; i++) {
        g_mutex_init(&many.rows[i].lock);
        many.rows[i].link = g_ptr_array_index(links, i);
    }
    int code = run(&many, options, listeners);
    card_lot_end(&many.lot);
    for (size_t i = 0; i < count; i++) {
        g_autoptr(GError) error = NULL;
        if (!board_log_close(many.logs[i], &error)) {
            app_note(app, "The log is not complete: %s", error->message);
            code = code == EXIT_DONE ? EXIT_INTERNAL : code;
        }
        g_mutex_clear(&many.rows[i].lock);
        g_free(many.rows[i].words);
        g_free(many.rows[i].who);
        wry_many_board_clear(&many.boards[i]);
    }
    g_free(listeners);
    g_free(many.boards);
    g_free(many.rows);
    g_free(many.logs);
    return code;
}
