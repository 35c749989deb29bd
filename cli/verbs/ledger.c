/* ledger: shows what was done to which board. */
#include <stdio.h>
#include <string.h>

#include "verbs.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/json_stream.h"
#include "views/label.h"
#include "views/ledger_table.h"
#include "views/output_file.h"
#include "views/report.h"
#include "views/report_data.h"
#include "wrytograph-host/ledger.h"
#include "wrytograph-host/units.h"

enum {
    LIST_MOST = 50, /* default number of runs listed */
};

struct ledger_options {
    char *board, *card, *lot, *firmware, *day, *since, *until, *outcome, *kind, *most, *output,
        *from;
    gboolean csv, svg;
};

static int usage_error(struct app *app, const char *what)
{
    return app_fail(app, EXIT_USAGE, "See 'wrytograph ledger --help'.", "%s", what);
}

/* A failing server is not a damaged file: it has another exit code. */
static int fail_read(struct app *app, const struct wry_ledger *ledger, GError *error)
{
    if (!wry_ledger_is_server(ledger))
        return explain_error(app, error);
    app_fail(app, EXIT_NO_ANSWER,
             "Check the address, and that the server is running. Meanwhile runs wait on this "
             "computer and are sent later.",
             "%s", error->message);
    g_error_free(error);
    return app->code;
}

/* The filter. */

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
                        "'%s' is not a day", text);
    g_autoptr(GDateTime) moved = g_date_time_add_days(time, add);
    *day = g_date_time_format(moved, "%Y-%m-%d");
    return EXIT_DONE;
}

static int parse_outcome(struct app *app, const char *outcome)
{
    static const char *const known[] = {"passed",  "done before", "failed",  "refused",
                                        "stopped", "cut",         "running", NULL};

    return !outcome || g_strv_contains(known, outcome)
               ? EXIT_DONE
               : app_fail(app, EXIT_USAGE,
                          "Outcomes are passed, 'done before', failed, refused, stopped, cut and "
                          "running.",
                          "'%s' is not an outcome", outcome);
}

static int parse_most(struct app *app, const char *text, unsigned *most)
{
    guint64 number = 0;

    if (!text)
        return EXIT_DONE;
    if (!g_ascii_string_to_unsigned(text, 10, 0, G_MAXINT, &number, NULL))
        return app_fail(app, EXIT_USAGE, "Give a number, or 0 for all.",
                        "--most: '%s' is not a number", text);
    *most = (unsigned)number;
    return EXIT_DONE;
}

/* Converts a board's address to the ledger's form. */
static int normalise_board(struct app *app, char **board)
{
    uint8_t eui48[6];

    if (!*board)
        return EXIT_DONE;
    if (!wry_units_parse_address(*board, eui48))
        return app_fail(app, EXIT_USAGE, "Six octets, such as 02:57:B8:FE:82:F1.",
                        "'%s' is not an address of a board", *board);
    g_free(*board);
    *board = wry_units_address(eui48);
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
    filter->lot = options->lot;
    filter->firmware = options->firmware;
    filter->outcome = options->outcome;
    filter->kind = options->kind;
    filter->since = since;
    filter->until = until;
    return code;
}

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

static char *outbox_name(const struct wry_ledger_outbox *outbox)
{
    return g_strdup(outbox->server ? outbox->server : outbox->path);
}

static void add_outbox_json(struct app *app, const struct wry_ledger_outbox *outbox)
{
    g_autofree char *name = outbox_name(outbox);

    json_add_object(app->json, json_text("server", name), json_number("waiting", outbox->waiting));
}

/* Reports rows that wait for other addresses, of a server that moved or was misspelled. */
static void tell_others(struct app *app, struct wry_ledger *ledger)
{
    g_autoptr(GError) error = NULL;
    g_autoptr(GPtrArray) others = wry_ledger_other_outboxes(ledger, &error);

    if (!others)
        app_note(app, "Runs that wait for other addresses could not be listed: %s", error->message);
    json_begin_list(app->json, "waiting_elsewhere");
    for (guint i = 0; others && i < others->len; i++) {
        const struct wry_ledger_outbox *outbox = g_ptr_array_index(others, i);
        g_autofree char *name = outbox_name(outbox);
        add_outbox_json(app, outbox);
        app_note(app,
                 "%u run%s for %s. If that is this ledger's old address: 'wrytograph ledger send "
                 "--from %s'.",
                 outbox->waiting, outbox->waiting == 1 ? " waits" : "s wait", name, name);
    }
    json_builder_end_array(app->json);
}

/* Reports rows that the server does not have yet. */
static int tell_waiting(struct app *app, struct wry_ledger *ledger)
{
    GError *error = NULL;
    g_autoptr(GPtrArray) refused = wry_ledger_refusals(ledger, &error);
    int waiting = wry_ledger_waiting(ledger);

    if (!refused)
        return explain_error(app, error);
    if (waiting > 0)
        app_note(app,
                 "%d of them wait%s on this computer for the server: 'wrytograph ledger send'.",
                 waiting, waiting == 1 ? "s" : "");
    ledger_table_refusals(app, refused);
    tell_others(app, ledger);
    if (wry_ledger_is_exposed(ledger))
        app_note(app,
                 "Note: the connection to %s is not encrypted. Add sslmode=verify-full to the "
                 "address (docs/ledger.md).",
                 wry_ledger_name(ledger));
    return EXIT_DONE;
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
        return fail_read(app, ledger, error);
    if (listing.count == 0)
        app_print(app, "No such run is recorded in %s.", wry_ledger_name(ledger));
    else if (filter->most > 0 && listing.count == filter->most)
        app_note(app, "The latest %u; --most 0 shows all.", filter->most);
    return tell_waiting(app, ledger);
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

/* export: streamed, for any number of runs */

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
        return usage_error(app, "choose --csv or --json");
    app->json_wanted = false; /* the runs are the whole document */
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
    json_add(app->json, json_number("runs", count));
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
                        "no passed card of board %s is recorded", address);
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

static int fail_send(struct app *app, struct wry_ledger *ledger, int before, GError *error)
{
    g_autofree char *next = g_strdup_printf("%d of %d runs still wait on this computer.",
                                            MAX(wry_ledger_waiting(ledger), 0), before);

    app_fail(app, EXIT_NO_ANSWER, next, "%s", error->message);
    g_error_free(error);
    return app->code;
}

static int send_waiting(struct app *app, struct wry_ledger *ledger)
{
    GError *error = NULL;
    g_autoptr(GPtrArray) set_aside = wry_ledger_refusals(ledger, &error);
    int waiting = wry_ledger_waiting(ledger), before = waiting;

    if (!set_aside)
        return explain_error(app, error);
    if (waiting < 0)
        return app_fail(app, EXIT_INTERNAL, NULL, "the number of waiting runs is not known");
    for (guint i = 0; i < set_aside->len; i++)
        before += !((const struct wry_ledger_refusal *)g_ptr_array_index(set_aside, i))->goes_out;
    if (!wry_ledger_send(ledger, &error))
        return fail_send(app, ledger, before, error);
    g_autoptr(GPtrArray) refused = wry_ledger_refusals(ledger, &error);
    if (!refused)
        return explain_error(app, error);
    int sent = before - (int)refused->len;
    json_add(app->json, json_number("sent", sent));
    if (refused->len > 0) {
        ledger_table_refusals(app, refused);
        return app_fail(app, EXIT_DIFFERS,
                        "They stay on this computer; 'wrytograph ledger send' tries them again.",
                        "%d run%s went to %s, %u %s refused", sent, sent == 1 ? "" : "s",
                        wry_ledger_name(ledger), refused->len, refused->len == 1 ? "was" : "were");
    }
    app_outcome(app, true, "%d run%s went to %s; nothing waits.", sent, sent == 1 ? "" : "s",
                wry_ledger_name(ledger));
    return EXIT_DONE;
}

static int send_from(struct app *app, struct wry_ledger *ledger, const char *from)
{
    GError *error = NULL;
    g_autoptr(GPtrArray) others = wry_ledger_other_outboxes(ledger, &error);
    const struct wry_ledger_outbox *found = NULL;

    if (!others)
        return explain_error(app, error);
    for (guint i = 0; i < others->len && !found; i++) {
        const struct wry_ledger_outbox *outbox = g_ptr_array_index(others, i);
        found = wry_ledger_outbox_is(outbox, from) ? outbox : NULL;
    }
    if (!found)
        return app_fail(app, EXIT_USAGE,
                        "'wrytograph ledger send' lists what waits, and for which.",
                        "no runs wait on this computer for that server");
    if (!wry_ledger_send_from(ledger, found, &error))
        return fail_read(app, ledger, error);
    json_add(app->json, json_number("sent", found->waiting));
    app_outcome(app, true, "%u run%s went to %s.", found->waiting, found->waiting == 1 ? "" : "s",
                wry_ledger_name(ledger));
    return EXIT_DONE;
}

static int send(struct app *app, struct wry_ledger *ledger, const struct ledger_options *options)
{
    if (options->from)
        return send_from(app, ledger, options->from);
    int code = wry_ledger_is_server(ledger)
                   ? send_waiting(app, ledger)
                   : usage_error(app, "this ledger is a file of this computer: nothing waits");
    tell_others(app, ledger);
    return code;
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
        return send(app, ledger, options);
    if (g_strcmp0(what, "report") == 0 && !name)
        return make_report(app, ledger, &filter, options);
    if (g_strcmp0(what, "label") == 0 && name)
        return make_label(app, ledger, name, options);
    return usage_error(app, what
                                ? "'ledger' takes list, export, send or report, show and a run, or "
                                  "label and a board"
                                : "choose list, show, export, send, report or label");
}

static int run(struct app *app, void *values)
{
    GError *error = NULL;
    struct wry_ledger *ledger = wry_ledger_open(app->ledger_name, &error);
    int code = ledger ? dispatch(app, ledger, values) : explain_error(app, error);

    wry_ledger_close(ledger);
    return code;
}

#define AT(member) offsetof(struct ledger_options, member)

static const struct option own[] = {
    OPTION(TEXT, "board", board, "ADDRESS", "Runs of this board"),
    OPTION(TEXT, "card", card, "NAME", "Runs of the card with this name, in any case"),
    OPTION(TEXT, "lot", lot, "NAME", "Runs of this lot of a card"),
    OPTION(TEXT, "firmware", firmware, "TEXT",
           "Runs that wrote this application, or were to, such as 'tide-gauge 2.3.1'"),
    OPTION(TEXT, "day", day, "YYYY-MM-DD", "Begun on this day (UTC)"),
    OPTION(TEXT, "since", since, "YYYY-MM-DD", "Begun on this day or later"),
    OPTION(TEXT, "until", until, "YYYY-MM-DD", "Begun on this day or earlier"),
    OPTION(TEXT, "outcome", outcome, "OUTCOME",
           "passed, 'done before', failed, refused, stopped, cut or running"),
    OPTION(TEXT, "kind", kind, "KIND", "card, write, settings, restore, erase or backup"),
    OPTION(TEXT, "most", most, "N",
           "At most N runs, the latest; default: 50 for list, all for the others"),
    OPTION(FLAG, "csv", csv, NULL, "export: as CSV; --json: as JSON"),
    OPTION(FLAG, "svg", svg, NULL, "label: as SVG, the default"),
    OPTION(TEXT, "from", from, "ADDRESS",
           "send: rows that wait for the server's old address go to this ledger"),
    OPTION(FILE, "output", output, "FILE",
           "export, report, label: write this file; default: the standard output", .brief = 'o'),
    {.name = NULL},
};

const struct verb verb_ledger = {
    .name = "ledger",
    .summary = "show what was done to which board",
    .usage = "list | show RUN | export | send | report | label BOARD",
    .description =
        "Every run of a card and every write, settings change, restore, erase and backup is\n"
        "recorded: in the user's file, in that of --ledger or WRYTOGRAPH_LEDGER, or in a\n"
        "PostgreSQL database (postgresql://USER@HOST/DATABASE) that several benches share.\n"
        "  list    the latest runs, of all boards or as selected by options\n"
        "  show    one run with all its steps\n"
        "  export  all runs, as CSV or JSON\n"
        "  send    sends rows that wait on this computer to the server\n"
        "  report  a page about boards and cards, as one HTML file\n"
        "  label   a small label for a board, as SVG",
    .options = APP_LEDGER,
    .own = own,
    .size = sizeof(struct ledger_options),
    .run = run,
};
