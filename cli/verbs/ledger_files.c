/* ledger export and report: files for others. */
#include <json-glib/json-glib.h>
#include <stdio.h>

#include "ledger_verb.h"
#include "values.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/ledger_table.h"
#include "views/output_file.h"
#include "views/report.h"
#include "views/report_data.h"
#include "wrytograph-host/lot.h"

#define WAIT_STEP 100000 /* us */

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

int ledger_export(struct app *app, struct wry_ledger *ledger,
                  const struct wry_ledger_filter *filter, const struct ledger_options *options)
{
    struct output_file output;
    GError *error = NULL;

    if (options->csv == app->json_wanted)
        return ledger_usage_error(app, "choose --csv or --json");
    app->json_wanted = false; /* the runs are the whole document */
    bool good =
        output_file_begin(&output, options->output, &error) &&
        output_file_end(&output, export_to(app, ledger, filter, options->csv, output.to, &error),
                        &error);
    return good ? EXIT_DONE : explain_error(app, error);
}

/* report */

/* The lot of the card whose boards are counted; NULL if none is given. */
static int read_lot(struct app *app, struct wry_ledger *ledger,
                    const struct ledger_options *options, struct wry_lot **lot)
{
    struct wry_card *card = options->left ? ledger_card(app, options->left) : NULL;
    GError *error = NULL;

    if (!options->left)
        return EXIT_DONE;
    if (!card)
        return app->code;
    *lot = wry_lot_read(ledger, card, options->lot, &error);
    wry_card_close(card);
    return *lot ? EXIT_DONE : ledger_fail_read(app, ledger, error);
}

/* Writes the page once; *count is the number of runs on it. */
static int write_report(struct app *app, struct wry_ledger *ledger,
                        const struct wry_ledger_filter *filter,
                        const struct ledger_options *options, unsigned refresh, guint *count)
{
    struct report *report = report_new();
    struct report_page page = {.ledger = wry_ledger_name(ledger), .refresh = refresh};
    struct wry_lot *lot = NULL;
    struct output_file output;
    struct wry_ledger_filter brief = *filter;
    GError *error = NULL;
    int code = read_lot(app, ledger, options, &lot);

    brief.brief = true;
    page.state = lot;
    if (code == EXIT_DONE && !wry_ledger_each(ledger, &brief, report_take, report, &error))
        code = ledger_fail_read(app, ledger, error);
    else if (code == EXIT_DONE && !output_file_begin(&output, options->output, &error))
        code = explain_error(app, error);
    else if (code == EXIT_DONE) {
        report_write(report, output.to, &page);
        code = output_file_end(&output, true, &error) ? EXIT_DONE : explain_error(app, error);
    }
    *count = report->runs;
    report_free(report);
    wry_lot_free(lot);
    return code;
}

static void wait_for(uint64_t time)
{
    int64_t end = g_get_monotonic_time() + (int64_t)time;

    while (!app_interrupted() && g_get_monotonic_time() < end)
        g_usleep(WAIT_STEP);
}

/* Until Ctrl-C. A server that is away for a while does not end it: the page is not changed then. */
static int keep_current(struct app *app, struct wry_ledger *ledger,
                        const struct wry_ledger_filter *filter,
                        const struct ledger_options *options, uint64_t every)
{
    unsigned seconds = (unsigned)((every + 999999) / 1000000);
    bool told = false;
    guint count = 0;

    app_note(app, "%s is written anew every %u s; Ctrl-C ends.", options->output, seconds);
    for (bool first = true; !app_interrupted(); first = false) {
        int code = write_report(app, ledger, filter, options, seconds, &count);
        if (code != EXIT_DONE && first)
            return code;
        if (code != EXIT_DONE && !told)
            app_note(app, "%s; until that changes, the page is not updated.", app->message);
        told = code != EXIT_DONE;
        app->code = EXIT_DONE;
        g_clear_pointer(&app->message, g_free);
        g_clear_pointer(&app->next_step, g_free);
        wait_for(every);
    }
    json_add(app->json, json_number("runs", count));
    return EXIT_DONE;
}

int ledger_report(struct app *app, struct wry_ledger *ledger,
                  const struct wry_ledger_filter *filter, const struct ledger_options *options)
{
    uint64_t every = 0;
    guint count = 0;
    int code = values_time(app, "--keep-current", options->keep_current, &every);

    if (code == EXIT_DONE && options->keep_current && !options->output)
        code = app_fail(app, EXIT_USAGE, "Such as -o report.html.",
                        "--keep-current: give -o FILE, too");
    if (code != EXIT_DONE)
        return code;
    if (options->keep_current)
        return keep_current(app, ledger, filter, options, every);
    code = write_report(app, ledger, filter, options, 0, &count);
    if (code != EXIT_DONE)
        return code;
    json_add(app->json, json_number("runs", count));
    if (options->output)
        app_print(app, "Report of %u run%s: %s", count, count == 1 ? "" : "s", options->output);
    return EXIT_DONE;
}
