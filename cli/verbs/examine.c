/* examine: the link doctor. */
#include "station.h"
#include "verbs.h"
#include "views/findings.h"
#include "views/json.h"

static void print_evidence(const struct app *app, const struct wry_evidence *evidence)
{
    bool good = evidence->finding == WRY_FINDING_GOOD || evidence->finding == WRY_FINDING_SLOW;
    const char *const *checks = findings_checks(evidence->finding);
    g_autofree char *heard = findings_evidence(evidence);

    app_outcome(app, good, "%s", findings_cause(evidence->finding));
    app_print(app, "Heard: %s.", heard);
    if (checks[0])
        app_print(app, "Check, in this order:");
    for (unsigned i = 0; checks[i]; i++)
        app_print(app, "  %u. %s", i + 1, checks[i]);
}

int verb_examine(struct app *app, int argc, char **argv)
{
    struct wry_evidence evidence = {0};

    if (!app_parse(app, argc, argv, NULL))
        return app->code;
    int code = station_make(app);
    if (code != EXIT_DONE)
        return code;
    enum wry_outcome outcome = wry_station_open(app->station);
    if (outcome == WRY_OUTCOME_DONE) {
        app_note(app, "Examining %s …", wry_station_link(app->station));
        outcome = wry_station_examine(app->station, &evidence);
    }
    /* A finding is a result, not a problem. */
    if (wry_station_problem(app->station)->kind != WRY_PROBLEM_NONE) {
        code = station_conclude(app, outcome);
    } else {
        print_evidence(app, &evidence);
        json_add_evidence(app->json, &evidence);
        code = (int)outcome;
    }
    wry_evidence_clear(&evidence);
    return code;
}
