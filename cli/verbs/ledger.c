/* ledger: what was done to which board. */
#include <errno.h>
#include <stdio.h>
#include <string.h>

#include "app/output_file.h"
#include "base/units.h"
#include "verbs.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/label.h"
#include "views/ledger_table.h"
#include "views/report.h"
#include "views/report_data.h"
#include "wrytograph-host/ledger.h"

enum {
    LIST_MOST = 50, /* runs, when nobody says */
};

#define SEND_TIME 60000000u /* us */

struct ledger_options {
    char *board, *card, *day, *since, *until, *outcome, *kind, *most, *output;
    gboolean csv, svg;
};

static int usage_error(struct app *app, const char *what)
{
    return app_fail(app, EXIT_USAGE, "See 'wrytograph ledger --help'.", "%s", what);
}

/* What a server does not answer is no fault of a file. */
static int fail_read(struct app *app, const struct wry_ledger *ledger, GError *error)
{
    if (!wry_ledger_is_server(ledger))
        return explain_error(app, error);
    app_fail(app, EXIT_NO_ANSWER,
             "Look at the address, and whether the server runs. Runs go on meanwhile: they wait on "
             "this computer and go out later.",
             "%s", error->message);
    g_error_free(error);
    return app->code;
}

/* What is looked for. */

static int parse_day(struct app *app, const char *text, int add, char **day)
{
    g_autoptr(GTimeZone) utc = g_time_zone_new_utc();
    int year = 0, month = 0, of_month = 0, used = 0;
    bool good = text && sscanf(text, "%4d-%2d-%2d%n", &year, &month, &of_month, &used) == 3 &&
                text[used] == '\0';
    g_autoptr(GDateTime) time = good ? g_date_time_new(utc, year, month, of_month, 0, 0, 0) : NULL;

    if (!text)
        return EXIT_DONE;
    if (!time)
        return app_fail(app, EXIT_USAGE, "Write it as 2026-11-29; days are those of UTC.",
                        "'%s' is no day", text);
    g_autoptr(GDateTime) moved = g_date_time_add_days(time, add);
    *day = g_date_time_format(moved, "%Y-%m-%d");
    return EXIT_DONE;
}

static int parse_outcome(struct app *app, const char *outcome)
{
    static const char *const known[] = {"passed", "failed", "stopped", "cut", "running", NULL};

    return !outcome || g_strv_contains(known, outcome)
               ? EXIT_DONE
               : app_fail(app, EXIT_USAGE, "Outcomes are passed, failed, stopped, cut and running.",
                          "'%s' is no outcome", outcome);
}

static int parse_most(struct app *app, const char *text, unsigned *most)
{
    guint64 number = 0;

    if (!text)
        return EXIT_DONE;
    if (!g_ascii_string_to_unsigned(text, 10, 0, G_MAXINT, &number, NULL))
        return app_fail(app, EXIT_USAGE, "Give a number, or 0 for all.", "--most: '%s' is none",
                        text);
    *most = (unsigned)number;
    return EXIT_DONE;
}

/* The board's address as the ledger writes it. */
static int normalise_board(struct app *app, char **board)
{
    uint8_t eui48[6];

    if (!*board)
        return EXIT_DONE;
    if (!units_parse_address(*board, eui48))
        return app_fail(app, EXIT_USAGE, "Six octets, such as 02:57:B8:FE:82:F1.",
                        "'%s' is no board's address", *board);
    g_free(*board);
    *board = units_address(eui48);
    return EXIT_DONE;
}

static int make_filter(struct app *app, struct ledger_options *options,
                       struct wry_ledger_filter *filter)
{
    char *since = NULL, *until = NULL;
    int code = normalise_board(app, &options->board);

    if (code == EXIT_DONE)
        code = parse_outcome(app, options->outcome);
    if (code == EXIT_DONE)
        code = parse_day(app, options->day ? options->day : options->since, 0, &since);
    if (code == EXIT_DONE)
        code = parse_day(app, options->day ? options->day : options->until, 1, &until);
    if (code == EXIT_DONE && options->day && (options->since || options->until))
        code = usage_error(app, "--day, and --since or --until");
    if (code == EXIT_DONE)
        code = parse_most(app, options->most, &filter->most);
    g_free(options->since);
    g_free(options->until);
    options->since = since;
    options->until = until;
    filter->board = options->board;
    filter->card = options->card;
    filter->outcome = options->outcome;
    filter->kind = options->kind;
    filter->since = since;
    filter->until = until;
    return code;
}

/* list, show */

struct listing {
    struct app *app;
    guint count;
};

static bool list_run(void *context, const struct wry_ledger_run *run)
{
    struct listing *listing = context;

    if (listing->count++ == 0)
        ledger_table_head(listing->app);
    ledger_table_row(listing->app, run);
    if (listing->app->json_wanted)
        ledger_table_add_json(listing->app->json, run);
    return true;
}

static int list(struct app *app, struct wry_ledger *ledger, struct wry_ledger_filter *filter,
                bool most_said)
{
    struct listing listing = {.app = app};
    GError *error = NULL;

    if (!most_said)
        filter->most = LIST_MOST;
    json_begin_list(app->json, "runs");
    bool good = wry_ledger_each(ledger, filter, list_run, &listing, &error);
    json_builder_end_array(app->json);
    if (!good)
        return fail_read(app, ledger, error);
    if (listing.count == 0)
        app_print(app, "There is no such run on record in %s.", wry_ledger_name(ledger));
    else if (filter->most > 0 && listing.count == filter->most)
        app_note(app, "The latest %u; --most 0 shows all.", filter->most);
    int waiting = wry_ledger_waiting(ledger);
    if (waiting > 0)
        app_note(app,
                 "%d of them wait%s on this computer for the server: 'wrytograph ledger send'.",
                 waiting, waiting == 1 ? "s" : "");
    return EXIT_DONE;
}

static int show(struct app *app, struct wry_ledger *ledger, const char *id)
{
    struct wry_ledger_filter filter = {.id = id, .most = 2};
    GError *error = NULL;
    g_autofree char *lower = g_ascii_strdown(id, -1);

    filter.id = lower;
    if (strspn(lower, "0123456789abcdef-") != strlen(lower))
        return usage_error(app, "a run is named by its first digits, as 'ledger list' shows them");
    g_autoptr(GPtrArray) runs = wry_ledger_list(ledger, &filter, &error);
    if (!runs)
        return fail_read(app, ledger, error);
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

/* export: run by run, whatever their number. */

static bool export_csv(void *context, const struct wry_ledger_run *run)
{
    ledger_table_write_csv(context, run);
    return ferror((FILE *)context) == 0;
}

struct json_export {
    FILE *to;
    bool any;
};

static bool export_json(void *context, const struct wry_ledger_run *run)
{
    struct json_export *export = context;
    g_autoptr(JsonBuilder) b = json_builder_new();

    ledger_table_add_json(b, run);
    g_autoptr(JsonNode) root = json_builder_get_root(b);
    g_autofree char *text = json_to_string(root, FALSE);
    fprintf(export->to, "%s\n%s", export->any ? "," : "", text);
    export->any = true;
    return ferror(export->to) == 0;
}

static bool export_to(struct app *app, struct wry_ledger *ledger,
                      const struct wry_ledger_filter *filter, bool csv, FILE *to, GError **error)
{
    struct json_export export = {.to = to};

    (void)app;
    if (csv) {
        ledger_table_write_csv(to, NULL);
        return wry_ledger_each(ledger, filter, export_csv, to, error);
    }
    fputs("{\"runs\": [", to);
    bool good = wry_ledger_each(ledger, filter, export_json, &export, error);
    fputs("\n]}\n", to);
    return good;
}

static int export(struct app *app, struct wry_ledger *ledger,
                  const struct wry_ledger_filter *filter, const struct ledger_options *options)
{
    struct output_file output;
    GError *error = NULL;

    if (options->csv == app->json_wanted)
        return usage_error(app, "say --csv or --json");
    app->json_wanted = false; /* the runs themselves are the document */
    bool good =
        output_file_begin(&output, options->output, &error) &&
        output_file_end(&output, export_to(app, ledger, filter, options->csv, output.to, &error),
                        &error);
    return good ? EXIT_DONE : explain_error(app, error);
}

/* report, label, send */

static int make_report(struct app *app, struct wry_ledger *ledger,
                       const struct wry_ledger_filter *filter, const struct ledger_options *options)
{
    struct report *report = report_new();
    struct output_file output;
    struct wry_ledger_filter brief = *filter;
    GError *error = NULL;

    brief.brief = true;
    bool read = wry_ledger_each(ledger, &brief, report_take, report, &error);
    bool good = read && output_file_begin(&output, options->output, &error);

    if (good) {
        report_write(report, output.to, wry_ledger_name(ledger));
        good = output_file_end(&output, true, &error);
    }
    guint count = report->runs;
    report_free(report);
    if (!good)
        return read ? explain_error(app, error) : fail_read(app, ledger, error);
    json_add_number(app->json, "runs", count);
    if (options->output)
        app_print(app, "Report of %u run%s: %s", count, count == 1 ? "" : "s", options->output);
    return EXIT_DONE;
}

static int make_label(struct app *app, struct wry_ledger *ledger, const char *board,
                      const struct ledger_options *options)
{
    g_autofree char *address = g_strdup(board);
    struct wry_ledger_filter filter = {.outcome = "passed", .kind = "card", .most = 1};
    struct output_file output;
    GError *error = NULL;
    int code = normalise_board(app, &address);

    if (code != EXIT_DONE)
        return code;
    filter.board = address;
    filter.card = options->card;
    g_autoptr(GPtrArray) runs = wry_ledger_list(ledger, &filter, &error);
    if (!runs)
        return fail_read(app, ledger, error);
    if (runs->len == 0)
        return app_fail(app, EXIT_WRONG, "A label says that a board passed: run the card first.",
                        "no card is on record that board %s passed", address);
    g_autofree char *svg = label_svg(g_ptr_array_index(runs, 0));
    bool good = output_file_begin(&output, options->output, &error);
    if (good) {
        fputs(svg, output.to);
        good = output_file_end(&output, true, &error);
    }
    if (!good)
        return explain_error(app, error);
    if (options->output)
        app_print(app, "Label of board %s: %s", address, options->output);
    return EXIT_DONE;
}

static int send_waiting(struct app *app, struct wry_ledger *ledger)
{
    GError *error = NULL;
    int before = wry_ledger_waiting(ledger);

    if (!wry_ledger_is_server(ledger))
        return usage_error(app, "this ledger is a file of this computer: nothing waits");
    if (before < 0)
        return app_fail(app, EXIT_INTERNAL, NULL, "how many runs wait cannot be told");
    if (!wry_ledger_send(ledger, SEND_TIME, &error)) {
        g_autofree char *next =
            g_strdup_printf("%d of %d runs wait here still.", wry_ledger_waiting(ledger), before);
        app_fail(app, EXIT_NO_ANSWER, next, "%s", error->message);
        g_error_free(error);
        return app->code;
    }
    json_add_number(app->json, "sent", before);
    app_outcome(app, true, "%d run%s went to %s; nothing waits.", before, before == 1 ? "" : "s",
                wry_ledger_name(ledger));
    return EXIT_DONE;
}

static int dispatch(struct app *app, struct wry_ledger *ledger, struct ledger_options *options)
{
    struct wry_ledger_filter filter = {0};
    const char *what = app->rest[0];
    const char *name = app->rest[0] ? app->rest[1] : NULL;
    int code = make_filter(app, options, &filter);

    if (code != EXIT_DONE)
        return code;
    if (g_strcmp0(what, "list") == 0 && !name)
        return list(app, ledger, &filter, options->most != NULL);
    if (g_strcmp0(what, "show") == 0 && name)
        return show(app, ledger, name);
    if (g_strcmp0(what, "export") == 0 && !name)
        return export(app, ledger, &filter, options);
    if (g_strcmp0(what, "send") == 0 && !name)
        return send_waiting(app, ledger);
    if (g_strcmp0(what, "report") == 0 && !name)
        return make_report(app, ledger, &filter, options);
    if (g_strcmp0(what, "label") == 0 && name)
        return make_label(app, ledger, name, options);
    return usage_error(app, what
                                ? "'ledger' takes list, export, send or report, show and a run, or "
                                  "label and a board"
                                : "say list, show, export, send, report or label");
}

static int run(struct app *app, struct ledger_options *options)
{
    GError *error = NULL;
    struct wry_ledger *ledger = wry_ledger_open(app->ledger_name, &error);
    int code = ledger ? dispatch(app, ledger, options) : explain_error(app, error);

    wry_ledger_close(ledger);
    return code;
}

int verb_ledger(struct app *app, int argc, char **argv)
{
    struct ledger_options options = {0};
    GOptionEntry entries[] = {
        {"board", 0, 0, G_OPTION_ARG_STRING, &options.board, "Of this board", "ADDRESS"},
        {"card", 0, 0, G_OPTION_ARG_STRING, &options.card, "Of the card with this name", "NAME"},
        {"day", 0, 0, G_OPTION_ARG_STRING, &options.day, "Begun on this day (UTC)", "YYYY-MM-DD"},
        {"since", 0, 0, G_OPTION_ARG_STRING, &options.since, "Begun on this day or later",
         "YYYY-MM-DD"},
        {"until", 0, 0, G_OPTION_ARG_STRING, &options.until, "Begun on this day or earlier",
         "YYYY-MM-DD"},
        {"outcome", 0, 0, G_OPTION_ARG_STRING, &options.outcome,
         "passed, failed, stopped, cut or running", "OUTCOME"},
        {"kind", 0, 0, G_OPTION_ARG_STRING, &options.kind, "card, write, restore, erase or backup",
         "KIND"},
        {"most", 0, 0, G_OPTION_ARG_STRING, &options.most,
         "The latest so many; else 50 are listed, and all go into the others", "N"},
        {"csv", 0, 0, G_OPTION_ARG_NONE, &options.csv, "export: as CSV; --json: as JSON", NULL},
        {"svg", 0, 0, G_OPTION_ARG_NONE, &options.svg, "label: as SVG, which it is in any case",
         NULL},
        {"output", 'o', 0, G_OPTION_ARG_FILENAME, &options.output,
         "export, report, label: into this file, else onto the standard output", "FILE"},
        G_OPTION_ENTRY_NULL};
    int code = app_parse(app, argc, argv, entries) ? run(app, &options) : app->code;

    g_free(options.board);
    g_free(options.card);
    g_free(options.day);
    g_free(options.since);
    g_free(options.until);
    g_free(options.outcome);
    g_free(options.kind);
    g_free(options.most);
    g_free(options.output);
    return code;
}
