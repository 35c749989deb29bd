/* card run --each: counting boards. */
#include "card_session.h"

#include "views/json.h"
#include "views/json_stream.h"
#include "views/lot_view.h"
#include "views/run_outcome.h"
#include "views/times.h"
#include "wrytograph-host/units.h"

enum {
    SILENT_MOST = 20, /* lines kept for boards without an address */
};

int card_session_begin(struct card_session *session)
{
    struct app *app = session->app;
    int code = station_settings(app, &session->settings);

    if (code != EXIT_DONE)
        return code;
    session->settings.lot = session->options->lot;
    wry_card_prepare(session->card, &session->settings);
    session->silent = g_ptr_array_new_with_free_func(g_free);
    session->had = g_hash_table_new_full(g_str_hash, g_str_equal, g_free, g_free);
    code = card_lot_begin(app, session->card, session->options, &session->lot);
    if (code == EXIT_DONE)
        json_stream_begin(app, "boards", true);
    return code;
}

void card_session_free(struct card_session *session)
{
    card_lot_end(&session->lot);
    if (session->had)
        g_hash_table_unref(session->had);
    if (session->silent)
        g_ptr_array_unref(session->silent);
}

struct wry_run_options card_session_options(const struct card_session *session)
{
    struct wry_run_options options = {
        .card = session->card, .dry_run = session->app->dry_run, .again = session->options->again};

    card_lot_prepare(&session->lot, &options);
    return options;
}

bool card_session_tell_end(void *context)
{
    struct card_session *session = context;

    if (app_interrupted() && !session->end_told) {
        session->end_told = true;
        app_note(session->app, "Ending after this board; Ctrl-C again ends at once.");
    }
    return false;
}

static void tell_again(const struct card_session *session, const struct wry_run_result *result)
{
    g_autofree char *address = wry_units_address(result->address);
    const char *before = g_hash_table_lookup(session->had, address);

    if (result->known && before) {
        app_note(session->app, "This board was here before: %s.", before);
    } else if (result->earlier > 0) {
        g_autofree char *when = times_local(result->earlier_at);
        app_note(session->app, "This board had the card before, last at %s.", when);
    }
}

/* Such a board is known only by its time and link. */
static void note_silent(struct card_session *session, const struct card_failure *failure)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_local();
    g_autofree char *time = g_date_time_format(now, "%H:%M:%S");

    if (session->silent_count++ < SILENT_MOST)
        g_ptr_array_add(session->silent, g_strdup_printf("  %s on %s: %s%s%s", time, failure->link,
                                                         failure->words, failure->cause ? ". " : "",
                                                         failure->cause ? failure->cause : ""));
}

static void tell_silent(const struct card_session *session)
{
    g_autofree char *boards = app_count(session->silent_count, "board");

    if (session->silent_count == 0)
        return;
    app_print(session->app, "%s failed before giving an address:", boards);
    for (guint i = 0; i < session->silent->len; i++)
        app_print(session->app, "%s", (const char *)g_ptr_array_index(session->silent, i));
    if (session->silent_count > session->silent->len)
        app_print(session->app, "  … and others, see the logs");
}

static void remember(struct card_session *session, const struct wry_run_result *result, bool passed)
{
    g_autoptr(GDateTime) now = g_date_time_new_now_local();
    g_autofree char *time = g_date_time_format(now, "%H:%M:%S");

    if (result->known)
        g_hash_table_insert(session->had, wry_units_address(result->address),
                            g_strdup_printf("%s at %s", passed ? "it passed" : "it failed", time));
}

void card_session_take(struct card_session *session, enum wry_outcome outcome,
                       const struct wry_run_result *result, const struct card_failure *failure)
{
    bool passed = outcome == WRY_OUTCOME_DONE;
    JsonBuilder *item = json_stream_item();

    if (!result->done_before)
        tell_again(session, result);
    remember(session, result, passed);
    json_add(item, json_number("exit_code", outcome), json_text("error", failure->words),
             json_text("advice", failure->advice));
    run_outcome_add_json(item, result);
    json_stream_add(session->app, item);
    session->done_before += passed && result->done_before;
    session->passed += passed && !result->done_before;
    session->failed += !passed;
    if (!passed && !result->known)
        note_silent(session, failure);
    session->worst = run_outcome_worse(session->worst, outcome);
    card_lot_read(&session->lot);
}

/* ", 2 done before"; "" for none. Free with g_free. */
static char *count_before(const struct card_session *session)
{
    return session->done_before > 0 ? g_strdup_printf(", %u done before", session->done_before)
                                    : g_strdup("");
}

char *card_session_counts(const struct card_session *session)
{
    g_autofree char *before = count_before(session);

    return session->lot.state ? lot_view_counts(session->lot.state)
                              : g_strdup_printf("%u passed, %u failed%s so far", session->passed,
                                                session->failed, before);
}

int card_session_conclude(struct card_session *session)
{
    struct app *app = session->app;
    g_autofree char *before = count_before(session);
    g_autofree char *boards = app_count(session->passed, "board");
    g_autofree char *failed = app_count(session->failed, "board");

    json_stream_end(app);
    json_add(app->json, json_number("passed", session->passed),
             json_number("failed", session->failed),
             json_number("done_before", session->done_before));
    app_print(app, "%s passed, %u failed%s.", boards, session->failed, before);
    tell_silent(session);
    card_lot_conclude(&session->lot, NULL);
    if (session->failed > 0) {
        app->told = true;
        return app_fail(app, (enum exit_code)session->worst, NULL, "%s failed", failed);
    }
    return session->log_lost ? EXIT_INTERNAL : EXIT_DONE;
}
