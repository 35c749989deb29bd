/* card run: on one board. */
#include <string.h>

#include "card.h"
#include "views/explain.h"
#include "views/run_outcome.h"

int card_run_one(struct app *app, struct wry_card *card, const struct card_options *options)
{
    struct wry_station_settings settings;
    struct wry_run_wanted wanted = {.card = card, .dry_run = app->dry_run, .again = options->again};
    struct wry_run_result result = {0};
    int code = station_settings(app, &settings);

    if (code != EXIT_DONE)
        return code;
    wry_card_prepare(card, &settings);
    station_make_of(app, &settings);
    enum wry_outcome outcome = wry_station_run(app->station, &wanted, &result);
    run_outcome_add_json(app->json, &result);
    code = station_conclude(app, outcome);
    if (result.earlier > 0)
        app_note(app, "This board had the card before, last at %s.", result.earlier_at);
    if (!app->dry_run)
        run_outcome_steps(app, &result);
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
    return code;
}
