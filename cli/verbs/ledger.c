/* ledger: shows what was done to which board. */
#include <json-glib/json-glib.h>
#include <stdio.h>
#include <string.h>

#include "ledger_verb.h"
#include "verbs.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/json_stream.h"
#include "views/ledger_table.h"
#include "wrytograph-host/ledger.h"

enum {
    LIST_MOST = 50, /* default number of runs listed */
};

/* list, show */

struct listing {
    struct app *app;
    struct table *table;
    guint count;
};

static bool list_run(void *context, const struct wry_ledger_run *run)
{
    struct listing *listing = context;

    listing->count++;
    if (listing->app->json_wanted) {
        JsonBuilder *item = json_stream_item();
        ledger_table_add_members(item, run);
        json_stream_add(listing->app, item);
    } else {
        ledger_table_row(listing->table, run);
    }
    return true;
}

static int list(struct app *app, struct wry_ledger *ledger, struct wry_ledger_filter *filter,
                bool most_said)
{
    struct listing listing = {.app = app, .table = ledger_table_new(app)};
    GError *error = NULL;

    if (!most_said)
        filter->most = LIST_MOST;
    json_stream_begin(app, "runs", false);
    bool good = wry_ledger_each(ledger, filter, list_run, &listing, &error);
    json_stream_end(app);
    table_end(listing.table, true); /* one line per run; 'ledger show' has everything */
    if (!good)
        return ledger_fail_read(app, ledger, error);
    if (listing.count == 0)
        app_print(app, "No such run is recorded in %s.", wry_ledger_name(ledger));
    else if (filter->most > 0 && listing.count == filter->most)
        app_note(app, "The latest %u; --most 0 shows all.", filter->most);
    return ledger_tell_waiting(app, ledger);
}

static int show(struct app *app, struct wry_ledger *ledger, const char *id)
{
    struct wry_ledger_filter filter = {.id = id, .most = 2};
    GError *error = NULL;
    g_autofree char *lower = g_ascii_strdown(id, -1);

    filter.id = lower;
    if (strspn(lower, "0123456789abcdef-") != strlen(lower))
        return ledger_usage_error(
            app, "a run is named by its first digits, as 'ledger list' shows them");
    g_autoptr(GPtrArray) runs = wry_ledger_list(ledger, &filter, &error);
    if (!runs)
        return ledger_fail_read(app, ledger, error);
    if (runs->len != 1)
        return app_fail(app, EXIT_USAGE, "'wrytograph ledger list' shows the runs.",
                        runs->len == 0 ? "there is no run '%s'" : "several runs begin with '%s'",
                        id);
    ledger_table_show(app, g_ptr_array_index(runs, 0));
    json_begin_list(app->json, "runs");
    ledger_table_add_json(app->json, g_ptr_array_index(runs, 0));
    json_builder_end_array(app->json);
    return EXIT_DONE;
}

static int dispatch(struct app *app, struct wry_ledger *ledger, struct ledger_options *options)
{
    struct wry_ledger_filter filter = {0};
    const char *what = app->rest[0];
    const char *name = app->rest[0] ? app->rest[1] : NULL;
    int code;

    if (options->utc)
        g_setenv("TZ", "UTC", TRUE);
    code = ledger_filter_make(app, ledger, options, &filter);

    if (code != EXIT_DONE)
        return code;
    if (g_strcmp0(what, "list") == 0 && !name)
        return list(app, ledger, &filter, options->most != NULL);
    if (g_strcmp0(what, "show") == 0 && name)
        return show(app, ledger, name);
    if (g_strcmp0(what, "export") == 0 && !name)
        return ledger_export(app, ledger, &filter, options);
    if (g_strcmp0(what, "send") == 0 && !name)
        return ledger_send(app, ledger, options);
    if (g_strcmp0(what, "report") == 0 && !name)
        return ledger_report(app, ledger, &filter, options);
    if (g_strcmp0(what, "label") == 0 && name)
        return ledger_label(app, ledger, name, options);
    if (g_strcmp0(what, "labels") == 0 && !name)
        return ledger_labels(app, ledger, &filter, options);
    if (g_strcmp0(what, "boards") == 0 && !name)
        return ledger_boards(app, ledger, &filter, options);
    if (g_strcmp0(what, "before") == 0 && name)
        return ledger_before(app, ledger, name);
    if (g_strcmp0(what, "release") == 0 && name)
        return ledger_release(app, ledger, name, options);
    if (g_strcmp0(what, "lots") == 0 && !name)
        return ledger_lots(app, ledger, &filter, options);
    return ledger_usage_error(
        app,
        what ? "'ledger' takes list, boards, lots, export, send, report or labels; show and a run; "
               "before, label or release and a board"
             : "choose list, boards, lots, before, show, export, send, report, label, labels or "
               "release");
}

static int run(struct app *app, void *values)
{
    GError *error = NULL;
    struct wry_ledger *ledger = wry_ledger_open(app->ledger_name, &error);
    int code = ledger ? dispatch(app, ledger, values) : explain_error(app, error);

    ledger_filter_clear(values);
    wry_ledger_close(ledger);
    return code;
}

#define AT(member) offsetof(struct ledger_options, member)

static const struct option own[] = {
    OPTION(TEXT, "board", board, "ADDRESS", "Runs of this board; a part of its address will do"),
    OPTION(TEXT, "card", card, "NAME", "Runs of the card with this name, in any case"),
    OPTION(TEXT, "lot", lot, "NAME", "Runs of this lot of a card; a part of its name will do"),
    OPTION(TEXT, "firmware", firmware, "TEXT",
           "Runs that wrote this application, or were to, such as 2.3.1; boards: those that have "
           "it"),
    OPTION(TEXT, "day", day, "DAY", "Begun on this day: 2026-11-29, today, yesterday"),
    OPTION(TEXT, "since", since, "DAY",
           "Begun on this day or later; also 'last week', '3 days ago'"),
    OPTION(TEXT, "until", until, "DAY", "Begun on this day or earlier"),
    OPTION(TEXT, "outcome", outcome, "OUTCOME",
           "passed, 'done before', failed, refused, stopped, cut or running"),
    OPTION(TEXT, "kind", kind, "KIND", "card, write, settings, restore, erase, backup or label"),
    OPTION(FLAG, "failed", failed, NULL, "boards: those whose latest run failed"),
    OPTION(FILE, "left", left, "CARD",
           "boards: those that this card has left to do; report: with them, and the time left"),
    OPTION(TEXT, "keep-current", keep_current, "TIME",
           "report: write it anew so often, such as 10s, for a screen in the workshop"),
    OPTION(TEXT, "most", most, "N",
           "At most N runs, boards or lots, the latest; default: 50 for list and boards, 20 for "
           "lots, all for the others"),
    OPTION(FLAG, "utc", utc, NULL, "Times and days are those of UTC; default: local time"),
    OPTION(FLAG, "csv", csv, NULL, "export: as CSV; --json: as JSON"),
    OPTION(FLAG, "svg", svg, NULL, "label: as SVG, the default"),
    OPTION(FLAG, "again", again, NULL, "labels: also of boards that have one already"),
    OPTION(TEXT, "grid", grid, "COLUMNSxROWS", "labels: on a sheet; default 3x8"),
    OPTION(TEXT, "margin", margin, "MM", "labels: around the grid; default 0"),
    OPTION(TEXT, "first", first, "N", "labels: place of the first one on a sheet that was used"),
    OPTION(FILE, "template", template, "FILE.svg",
           "label, labels: your own SVG with marks (docs/ledger.md)"),
    OPTION(TEXT, "from", from, "ADDRESS",
           "send: rows that wait for the server's old address go to this ledger"),
    OPTION(FILE, "output", output, "FILE",
           "export, report, label, labels: write this file; .pdf for labels as PDF; default: the "
           "standard output",
           .brief = 'o'),
    {.name = NULL},
};

const struct verb verb_ledger = {
    .name = "ledger",
    .summary = "show what was done to which board",
    .usage = "list | boards | lots | before BOARD | show RUN | export | send | report | label "
             "BOARD | labels | release BOARD",
    .examples = {"wrytograph ledger list --since 'last week'",
                 "wrytograph ledger boards --firmware 2.3.1"},
    .usual = {"since", "outcome", "lot", "board", "output"},
    .description =
        "Every run of a card and every write, settings change, restore, erase and backup is\n"
        "recorded: in the user's file, in that of --ledger or WRYTOGRAPH_LEDGER, or in a\n"
        "PostgreSQL database (postgresql://USER@HOST/DATABASE) that several benches share.\n"
        "  list    the latest runs, of all boards or as selected by options\n"
        "  boards  the boards with their latest run, or those that have a firmware, failed,\n"
        "          or are left to do\n"
        "  lots    the lots of cards, with what is done and what failed\n"
        "  before  what was on a board before its latest change, and which backup has it\n"
        "  show    one run with all its steps\n"
        "  export  all runs, as CSV or JSON\n"
        "  send    sends rows that wait on this computer to the server\n"
        "  report  a page about boards and cards, as one HTML file\n"
        "  label   a small label for a board, as SVG or PDF\n"
        "  labels  A4 sheets of labels of all boards that passed and have none yet\n"
        "  release frees the row of a --lot that the server gave to a board, for another one",
    .options = APP_LEDGER,
    .own = own,
    .size = sizeof(struct ledger_options),
    .run = run,
};
