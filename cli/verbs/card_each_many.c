/*
 * card run --each at several places: a thread for each waits for its next board, runs the card and
 * waits until the board is removed. Ended boards go to the main thread, which alone prints.
 */
#include <string.h>

#include "card_listener.h"
#include "card_place.h"
#include "card_session.h"
#include "views/lot_view.h"
#include "views/run_outcome.h"
#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"

#define TURN_TIME 100000 /* us between drawings */

struct pool;

/* A place with its thread. */
struct worker {
    struct pool *pool;
    struct many_row *row;
    struct card_place place;
    GThread *thread;
    char *address;   /* of its board, while that may have a row; NULL = none */
    bool log_failed; /* a log could not be opened: the place was left */
};

struct pool {
    struct card_session session;
    const char *logs; /* folder */
    struct worker *workers;
    struct many_row *rows;
    size_t count;
    struct many_view *view;
    GAsyncQueue *news;     /* struct news */
    GMutex lock;           /* of the next one: */
    GHashTable *addresses; /* addresses of boards that are worked on */
    gint working;          /* threads that have not ended */
    gint over;             /* nothing is left to do: threads end */
};

/* What a thread reports: a board that has ended, or a text. */
struct news {
    struct worker *worker;
    char *text; /* NULL: a board */
    enum wry_outcome outcome;
    struct wry_run_result result;
    char *words, *advice, *cause;
    bool simulated, log_lost;
};

static void free_news(struct news *news)
{
    wry_run_result_clear(&news->result);
    g_free(news->text);
    g_free(news->words);
    g_free(news->advice);
    g_free(news->cause);
    g_free(news);
}

/* In the threads. */

static void report(struct worker *worker, const char *text)
{
    struct news *news = g_new0(struct news, 1);

    news->worker = worker;
    news->text = g_strdup_printf("%s: %s", worker->place.link, text);
    g_async_queue_push(worker->pool->news, news);
}

static void tell(void *context, const char *text)
{
    report(context, text);
}

static bool is_over(void *context)
{
    const struct worker *worker = context;

    return app_interrupted() || g_atomic_int_get(&worker->pool->over);
}

/* Of two boards with one address, only the first may have the row of that address. */
static bool may_have_row(void *context, const uint8_t eui48[WRY_EUI48_SIZE])
{
    struct worker *worker = context;
    struct pool *pool = worker->pool;

    g_mutex_lock(&pool->lock);
    bool is_first = g_hash_table_add(pool->addresses, wry_units_address(eui48));
    g_mutex_unlock(&pool->lock);
    if (is_first)
        worker->address = wry_units_address(eui48);
    return is_first;
}

static void release_address(struct worker *worker)
{
    if (!worker->address)
        return;
    g_mutex_lock(&worker->pool->lock);
    g_hash_table_remove(worker->pool->addresses, worker->address);
    g_mutex_unlock(&worker->pool->lock);
    g_clear_pointer(&worker->address, g_free);
}

static void begin_row(struct many_row *row)
{
    g_mutex_lock(&row->lock);
    g_clear_pointer(&row->words, g_free);
    g_clear_pointer(&row->who, g_free);
    row->waits = row->to_remove = row->in_step = row->done_before = row->told = row->told_any =
        false;
    row->begun = g_get_monotonic_time();
    row->ended = 0;
    row->done = row->total = 0;
    row->speed = 0;
    row->board[0] = '\0';
    g_mutex_unlock(&row->lock);
}

static void end_row(struct many_row *row, const struct news *news)
{
    g_mutex_lock(&row->lock);
    row->ended = g_get_monotonic_time();
    row->outcome = news->outcome;
    row->done_before = news->result.done_before;
    row->words = g_strdup(news->cause ? news->cause : news->words);
    row->who = g_strdup(news->result.row_name);
    row->to_remove = true;
    row->told = true; /* the main thread prints it */
    g_mutex_unlock(&row->lock);
}

static void take_failure(struct news *news, const struct wry_station *station)
{
    const struct wry_problem *problem = wry_station_problem(station);
    g_autofree char *sentence = wry_problem_sentence(problem);
    g_autofree char *advice = wry_problem_advice(problem);

    news->words = wry_station_masked(station, sentence);
    news->advice = advice ? wry_station_masked(station, advice) : NULL;
    news->cause = g_strdup(wry_problem_cause(problem));
}

/* The board's result in its log; false if the log is not complete. */
static bool close_log(struct board_log *log, const struct pool *pool, const struct news *news)
{
    g_autoptr(GError) error = NULL;
    g_autofree char *line = run_outcome_line(news->outcome, &news->result, pool->session.card,
                                             news->words, news->simulated);

    board_log_masked_by(log, NULL);
    board_log_line(log, line);
    if (news->advice)
        board_log_line(log, news->advice);
    return board_log_close(log, &error);
}

/* Runs the card on the board at this link. NULL if there is no log for it. */
static struct news *run_board(struct worker *worker)
{
    struct pool *pool = worker->pool;
    struct wry_station_settings settings = pool->session.settings;
    struct wry_run_options options = card_session_options(&pool->session);
    GError *error = NULL;
    struct board_log *log = board_log_open(pool->logs, worker->place.link, &error);
    struct card_listener listener = {.row = worker->row, .log = log};

    if (!log) {
        report(worker, error->message);
        g_error_free(error);
        worker->log_failed = true;
        return NULL;
    }
    struct news *news = g_new0(struct news, 1);
    news->worker = worker;
    settings.link = worker->place.link;
    settings.stop = (struct wry_stop){0}; /* the board is finished first */
    settings.context = &listener;
    settings.event = card_listener_event;
    settings.board = card_listener_board;
    options.may_have_row = may_have_row;
    options.context = worker;
    struct wry_station *station = wry_station_new(&settings);
    news->outcome = wry_station_run(station, &options, &news->result);
    if (news->outcome != WRY_OUTCOME_DONE)
        take_failure(news, station);
    news->simulated = wry_station_is_simulated(station);
    release_address(worker);
    wry_station_free(station);
    news->log_lost = !close_log(log, pool, news);
    return news;
}

static void wait_for_next(struct worker *worker)
{
    g_mutex_lock(&worker->row->lock);
    worker->row->waits = true;
    worker->row->to_remove = false;
    worker->row->begun = 0;
    worker->row->board[0] = '\0';
    g_mutex_unlock(&worker->row->lock);
}

static gpointer work(gpointer data)
{
    struct worker *worker = data;
    bool more = true;

    while (more) {
        wait_for_next(worker);
        g_autofree char *link = card_place_wait(&worker->place);
        struct news *news = NULL;
        if (link) {
            begin_row(worker->row);
            news = run_board(worker);
        }
        if (!news)
            break;
        struct wry_run_result done = {.known = news->result.known};
        memcpy(done.address, news->result.address, sizeof done.address);
        end_row(worker->row, news);
        g_async_queue_push(worker->pool->news, news); /* belongs to the main thread now */
        more = card_place_wait_gone(&worker->place, link, &done);
    }
    if (worker->place.is_bad)
        report(worker, worker->place.sentence);
    g_atomic_int_dec_and_test(&worker->pool->working);
    return NULL;
}

/* In the main thread. */

static void set_caption(const struct pool *pool)
{
    const struct card_session *session = &pool->session;
    g_autofree char *next = card_lot_next(&session->lot);
    g_autofree char *counts = card_session_counts(session);
    g_autofree char *text = next ? g_strdup_printf("%s; next: %s", counts, next) : g_strdup(counts);

    many_view_set_caption(pool->view, text);
}

static void take_board(struct pool *pool, const struct news *news)
{
    struct card_session *session = &pool->session;
    struct app *app = session->app;
    g_autofree char *line =
        run_outcome_line(news->outcome, &news->result, session->card, news->words, news->simulated);

    app_outcome(app, news->outcome == WRY_OUTCOME_DONE, "%-12s %s", news->worker->place.link, line);
    lot_view_advice(app, news->advice);
    session->log_lost |= news->log_lost;
    const struct card_failure failure = {news->worker->place.link, news->words, news->advice,
                                         news->cause};
    card_session_take(session, news->outcome, &news->result, &failure);
    app->spent.bytes_sent += news->result.bytes_sent;
    app->spent.bytes_received += news->result.bytes_received;
    if (card_lot_is_done(&session->lot))
        g_atomic_int_set(&pool->over, 1);
}

static void take(struct pool *pool, struct news *news)
{
    many_view_hide(pool->view);
    if (news->text)
        app_note(pool->session.app, "%s", news->text);
    else
        take_board(pool, news);
    fflush(stdout);
    free_news(news);
    set_caption(pool);
}

static void follow(struct pool *pool)
{
    while (g_atomic_int_get(&pool->working) > 0) {
        struct news *news = g_async_queue_timeout_pop(pool->news, TURN_TIME);
        card_session_tell_end(&pool->session);
        for (; news; news = g_async_queue_try_pop(pool->news))
            take(pool, news);
        many_view_draw(pool->view);
    }
    for (struct news *news; (news = g_async_queue_try_pop(pool->news));)
        take(pool, news);
}

static int conclude(struct pool *pool)
{
    struct app *app = pool->session.app;
    int code = card_session_conclude(&pool->session);
    size_t bad = 0;

    app_note(app, "Logs: %s", pool->logs);
    for (size_t i = 0; i < pool->count; i++) {
        bad += pool->workers[i].place.is_bad;
        if (pool->workers[i].log_failed && code == EXIT_DONE)
            code = EXIT_INTERNAL;
    }
    if (bad < pool->count)
        return code;
    const struct card_place *place = &pool->workers[0].place;
    return app_fail(app, (enum exit_code)place->outcome, place->advice, "%s", place->sentence);
}

static int run(struct pool *pool, const GPtrArray *links)
{
    struct card_session *session = &pool->session;
    int code = card_session_begin(session);

    if (code != EXIT_DONE)
        return code;
    if (card_lot_is_done(&session->lot))
        return card_session_conclude(session);
    pool->view = many_view_new(session->app, pool->rows, pool->count);
    set_caption(pool);
    for (size_t i = 0; i < pool->count; i++) {
        struct worker *worker = &pool->workers[i];
        worker->place = (struct card_place){.link = g_ptr_array_index(links, i),
                                            .settings = session->settings,
                                            .context = worker,
                                            .tell = tell,
                                            .is_over = is_over};
        card_place_begin(&worker->place);
        worker->thread = g_thread_new("place", work, worker);
    }
    follow(pool);
    for (size_t i = 0; i < pool->count; i++)
        g_thread_join(pool->workers[i].thread);
    many_view_hide(pool->view);
    many_view_free(pool->view);
    code = conclude(pool);
    for (size_t i = 0; i < pool->count; i++)
        card_place_end(&pool->workers[i].place);
    return code;
}

int card_run_each_many(struct app *app, struct wry_card *card, const GPtrArray *links,
                       const struct card_options *options)
{
    size_t count = links->len;
    g_autofree char *logs = options->logs ? g_strdup(options->logs) : board_log_folder();
    struct pool pool = {.session = {.app = app, .card = card, .options = options},
                        .logs = logs,
                        .count = count,
                        .workers = g_new0(struct worker, count),
                        .rows = g_new0(struct many_row, count),
                        .news = g_async_queue_new(),
                        .addresses = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, NULL),
                        .working = (gint)count};

    g_mutex_init(&pool.lock);
    for (size_t i = 0; i < count; i++) {
        g_mutex_init(&pool.rows[i].lock);
        pool.rows[i].link = g_ptr_array_index(links, i);
        pool.workers[i].pool = &pool;
        pool.workers[i].row = &pool.rows[i];
    }
    int code = run(&pool, links);
    card_session_free(&pool.session);
    for (size_t i = 0; i < count; i++) {
        g_mutex_clear(&pool.rows[i].lock);
        g_free(pool.rows[i].words);
        g_free(pool.rows[i].who);
    }
    g_mutex_clear(&pool.lock);
    g_hash_table_unref(pool.addresses);
    g_async_queue_unref(pool.news);
    g_free(pool.workers);
    g_free(pool.rows);
    return code;
}
