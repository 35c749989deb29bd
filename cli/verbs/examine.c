/* examine: finds out what is wrong with a link. */
#include "station_options.h"
#include "values.h"
#include "verbs.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/wiring_drawing.h"
#include "wrytograph-host/words.h"

struct examine_options {
    gboolean drawing, replace;
    char *svg;
};

static void print_evidence(const struct app *app, const struct wry_evidence *evidence)
{
    bool good = evidence->finding == WRY_FINDING_GOOD || evidence->finding == WRY_FINDING_SLOW;
    g_auto(GStrv) checks = wry_evidence_checks(evidence);
    g_autofree char *heard = wry_evidence_text(evidence);

    app_outcome(app, good, "%s", wry_evidence_cause(evidence));
    app_print(app, "Heard: %s.", heard);
    if (checks[0])
        app_print(app, checks[1] ? "Check, in this order:" : "Next:");
    for (unsigned i = 0; checks[i]; i++)
        app_print(app, "  %u. %s", i + 1, checks[i]);
}

static int examine(struct app *app)
{
    struct wry_evidence evidence = {0};
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

/* Draws the wiring, without a board. */
static int draw(struct app *app, const struct examine_options *options)
{
    const struct wry_chip *chip = NULL;
    const struct wry_wiring *wiring = NULL;
    GError *error = NULL;
    int code = app->expect_chip ? values_chip(app, app->expect_chip, &chip) : EXIT_DONE;

    if (code == EXIT_DONE)
        code = values_wiring(app, &wiring);
    if (code != EXIT_DONE)
        return code;
    if (!wiring)
        wiring = wry_wiring_at(0);
    if (options->svg &&
        !wiring_drawing_save_svg(chip, wiring, options->svg, options->replace, &error))
        return explain_error(app, error);
    wiring_drawing_print(app, chip, wiring);
    json_add(app->json, json_text("wiring", wiring->name));
    if (options->svg)
        app_print(app, "The drawing is in %s.", options->svg);
    return EXIT_DONE;
}

static int run(struct app *app, void *values)
{
    const struct examine_options *options = values;

    return options->drawing || options->svg ? draw(app, options) : examine(app);
}

#define AT(member) offsetof(struct examine_options, member)

static const struct option own[] = {
    OPTION(FLAG, "drawing", drawing, NULL,
           "Draw the wiring of adapter and board, for --wiring and --expect-chip, and end"),
    OPTION(FILE, "svg", svg, "FILE", "Also save the drawing as a picture"),
    OPTION(FLAG, "replace", replace, NULL, "Replace an existing picture"),
    {.name = NULL},
};

const struct verb verb_examine = {
    .name = "examine",
    .summary = "find out what is wrong with a link",
    .usage = "",
    .examples = {"wrytograph examine", "wrytograph examine --drawing --expect-chip turnstone-t2"},
    .usual = {"link", "wiring", "by-hand", "drawing", "expect-chip"},
    .description =
        "Finds out what is wrong with a link: calls the board, listens, tries other speeds,\n"
        "and reports the most likely cause, what was heard, and what to check first.\n"
        "The flash is not changed. Exit code 0: good; 4: no answer; 7: unreliable.",
    .options = APP_LINK | APP_NO_WORDS,
    .leaves_running = true,
    .own = own,
    .size = sizeof(struct examine_options),
    .run = run,
};
