/* card run: on one board. */

#include "card_log.h"
#include "card_lot.h"
#include "card_verb.h"
#include "views/lot_view.h"
#include "views/run_outcome.h"

enum {
    HEARD_SHOWN = 10, /* lines of the board's output shown when it was not as expected */
};

/* Collects the board's output, to show it if that is what failed. */
struct hearing {
    void *context; /* context of the usual listener */
    void (*event)(void *context, const struct wry_event *event);
    GString *heard;
};

static void on_event(void *context, const struct wry_event *event)
{
    struct hearing *hearing = context;

    if (event->kind == WRY_EVENT_HEARD)
        g_string_append_len(hearing->heard, (const char *)event->bytes, (gssize)event->n);
    hearing->event(hearing->context, event);
}

static void show_heard(const struct app *app, const GString *heard)
{
    g_autofree char *masked = wry_station_masked(app->station, heard->str);
    g_auto(GStrv) lines = g_strsplit(g_strchomp(masked), "\n", -1);
    guint count = g_strv_length(lines);

    for (guint i = count > HEARD_SHOWN ? count - HEARD_SHOWN : 0; i < count; i++)
        app_note(app, "> %s", g_strchomp(lines[i]));
}

/* One board more or less: the counts are enough. */
static void tell_lot(struct card_lot *lot)
{
    if (!lot->state || lot->app->dry_run)
        return;
    card_lot_read(lot);
    g_autofree char *counts = lot->state ? lot_view_counts(lot->state) : NULL;
    if (!counts)
        return;
    app_note(lot->app, "Lot %s: %s.", lot->name, counts);
    lot_view_add_json(lot->app->json, lot->state);
}

int card_run_one(struct app *app, struct wry_card *card, const struct card_options *options)
{
    struct wry_station_settings settings;
    struct wry_run_options job_options = {
        .card = card, .dry_run = app->dry_run, .again = options->again};
    struct wry_run_result result = {0};
    struct card_lot lot;
    struct card_log log;
    int code = station_settings(app, &settings);

    if (code != EXIT_DONE)
        return code;
    settings.lot = options->lot;
    wry_card_prepare(card, &settings);
    code = card_lot_begin(app, card, options, &lot);
    card_lot_prepare(&lot, &job_options);
    if (code != EXIT_DONE || !card_log_begin(app, &log, options->logs, settings.link, &settings)) {
        card_lot_end(&lot);
        return app->code;
    }
    struct hearing hearing = {settings.context, settings.event, g_string_new(NULL)};
    settings.context = &hearing;
    settings.event = on_event;
    station_make_of(app, &settings);
    enum wry_outcome outcome = wry_station_run(app->station, &job_options, &result);
    run_outcome_add_json(app->json, &result);
    code = station_conclude(app, outcome);
    if (result.earlier > 0 && !result.done_before)
        app_note(app, "This board had the card before, last at %s.", result.earlier_at);
    if (!app->dry_run)
        run_outcome_steps(app, &result);
    if (code != EXIT_DONE && hearing.heard->len > 0)
        show_heard(app, hearing.heard);
    if (code != EXIT_DONE && app->next_step)
        app_note(app, "%s", app->next_step);
    g_autofree char *line = run_outcome_line(outcome, &result, card, app->message,
                                             wry_station_is_simulated(app->station));
    wry_run_result_clear(&result);
    if (app->dry_run && code == EXIT_DONE)
        app_print(app, "Nothing was changed (--dry-run).");
    else
        app_outcome(app, code == EXIT_DONE, "%s", line);
    app->told = true;
    tell_lot(&lot);
    card_lot_end(&lot);
    code = card_log_end(app, &log, line, code == EXIT_DONE ? NULL : app->next_step, code);
    station_leave(app); /* while its events still have a listener */
    g_string_free(hearing.heard, TRUE);
    return code;
}
