/* card run --each: on one board after another, at one place. */
#include <poll.h>
#include <termios.h>
#include <unistd.h>

#include "card_log.h"
#include "card_place.h"
#include "card_session.h"
#include "views/banner.h"
#include "views/run_outcome.h"
#include "wrytograph-host/words.h"

struct each {
    struct card_session session;
    struct card_place place;
    bool log_failed; /* a log cannot be opened: ends */
};

static void tell(void *context, const char *text)
{
    const struct each *each = context;

    app_note(each->session.app, "%s", text);
}

static bool takes_enter(void)
{
    return isatty(STDIN_FILENO);
}

/* Enter goes on without waiting: a board that cannot answer is not noticed otherwise. */
static bool is_enter_pressed(void *context)
{
    struct pollfd keys = {.fd = STDIN_FILENO, .events = POLLIN};
    char line[64];

    (void)context;
    return takes_enter() && poll(&keys, 1, 0) > 0 && (keys.revents & POLLIN) &&
           read(STDIN_FILENO, line, sizeof line) > 0;
}

static bool is_over(void *context)
{
    (void)context;
    return app_interrupted();
}

static void run_board(struct each *each, const char *link, struct wry_run_result *result)
{
    struct card_session *session = &each->session;
    struct app *app = session->app;
    const struct wry_run_options options = card_session_options(session);
    struct wry_station_settings settings = session->settings;
    struct card_log log;

    settings.link = link;
    settings.stop = (struct wry_stop){.context = session, .asked = card_session_tell_end};
    if (!card_log_begin(app, &log, session->options->logs, link, &settings)) {
        each->log_failed = true;
        return;
    }
    station_make_of(app, &settings);
    enum wry_outcome outcome = wry_station_run(app->station, &options, result);
    bool passed = outcome == WRY_OUTCOME_DONE, simulated = wry_station_is_simulated(app->station);
    station_conclude(app, outcome);
    g_autofree char *line =
        run_outcome_line(outcome, result, session->card, passed ? NULL : app->message, simulated);
    const char *cause = passed ? NULL : wry_problem_cause(wry_station_problem(app->station));
    session->log_lost |=
        card_log_end(app, &log, line, passed ? NULL : app->next_step, EXIT_DONE) != EXIT_DONE;
    station_leave(app);
    run_outcome_banner(app, outcome, result, line,
                       session->options->bell ||
                           g_strcmp0(g_getenv("WRYTOGRAPH_BELL"), "true") == 0);
    /* A key that was pressed during the work does not begin the next board. */
    if (takes_enter())
        tcflush(STDIN_FILENO, TCIFLUSH);
    if (!passed && app->next_step)
        app_note(app, "%s", app->next_step);
    const struct card_failure failure = {link, app->message, app->next_step, cause};
    card_session_take(session, outcome, result, &failure);
    g_clear_pointer(&app->message, g_free);
    g_clear_pointer(&app->next_step, g_free);
}

/* Which board comes next, as far as the lot tells. */
static void tell_next(const struct each *each)
{
    const struct card_session *session = &each->session;
    const struct wry_lot *lot = session->lot.state;
    g_autofree char *next = card_lot_next(&session->lot);
    g_autofree char *counts = card_session_counts(session);

    if (!lot)
        return;
    banner_print(session->app, "NEXT BOARD", BANNER_NEXT);
    if (next)
        app_print(session->app, "%s%s  (%s)", session->lot.failed_only ? "To retry: " : "", next,
                  counts);
    else
        app_print(session->app, "%s", counts);
    fflush(stdout);
}

/* False when the user stops, or nothing is left to do. */
static bool next_board(struct each *each)
{
    const struct card_session *session = &each->session;
    const struct app *app = session->app;
    struct wry_run_result result = {0};
    const char *enter = takes_enter() ? "; Enter begins at once" : "";

    tell_next(each);
    if (each->place.link)
        app_note(app, "Waiting for a board on %s%s; Ctrl-C ends.", each->place.link, enter);
    else
        app_note(app, "Waiting for a port to appear; Ctrl-C ends.");
    g_autofree char *link = card_place_wait(&each->place);
    if (!link)
        return false;
    run_board(each, link, &result);
    bool done = each->log_failed || card_lot_is_done(&session->lot);
    if (!done) {
        g_autofree char *counts = card_session_counts(session);
        app_note(app, "Remove the board. %s.", counts);
        done = !card_place_wait_gone(&each->place, link, &result);
    }
    wry_run_result_clear(&result);
    return !done;
}

static int conclude(struct each *each)
{
    struct app *app = each->session.app;

    int code = card_session_conclude(&each->session);
    if (each->place.is_bad)
        return app_fail(app, (enum exit_code)each->place.outcome, each->place.advice, "%s",
                        each->place.sentence);
    return each->log_failed ? app->code : code;
}

int card_run_each(struct app *app, struct wry_card *card, const struct card_options *options)
{
    g_autofree char *link = g_strdup(app->link ? app->link : g_getenv("WRYTOGRAPH_LINK"));
    struct each each = {.session = {.app = app, .card = card, .options = options}};
    int code = card_session_begin(&each.session);

    each.place = (struct card_place){.link = link,
                                     .settings = each.session.settings,
                                     .context = &each,
                                     .tell = tell,
                                     .goes_on = is_enter_pressed,
                                     .is_over = is_over};
    if (code == EXIT_DONE && card_lot_is_done(&each.session.lot)) {
        code = card_session_conclude(&each.session);
    } else if (code == EXIT_DONE) {
        card_place_begin(&each.place);
        while (next_board(&each))
            ;
        code = conclude(&each);
    }
    card_place_end(&each.place);
    card_session_free(&each.session);
    return code;
}
