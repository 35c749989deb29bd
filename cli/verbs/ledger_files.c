/* ledger export and report: files for others. */
#include <stdio.h>

#include "ledger_verb.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/ledger_table.h"
#include "views/output_file.h"
#include "views/report.h"
#include "views/report_data.h"

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

int ledger_report(struct app *app, struct wry_ledger *ledger,
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
        return read ? explain_error(app, error) : ledger_fail_read(app, ledger, error);
    json_add(app->json, json_number("runs", count));
    if (options->output)
        app_print(app, "Report of %u run%s: %s", count, count == 1 ? "" : "s", options->output);
    return EXIT_DONE;
}
