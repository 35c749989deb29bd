/* The runs that the options of 'ledger' select. */
#include "ledger_verb.h"

#include <string.h>

#include "views/explain.h"
#include "views/times.h"
#include "wrytograph-host/units.h"

enum {
    NAMED_MOST = 10, /* values listed if several fit */
};

int ledger_usage_error(struct app *app, const char *what)
{
    return app_fail(app, EXIT_USAGE, "See 'wrytograph ledger --help'.", "%s", what);
}

/* A failing server is not a damaged file: it has another exit code. */
int ledger_fail_read(struct app *app, const struct wry_ledger *ledger, GError *error)
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

/* Periods. */

static int fail_period(struct app *app, const char *option, const char *text)
{
    return app_fail(app, EXIT_USAGE,
                    "Write a day as 2026-11-29, or today, yesterday, 'this week', 'last week', "
                    "'this month', 'last month', or '3 days ago'.",
                    "%s: '%s' is not a day", option, text);
}

static int parse_periods(struct app *app, struct ledger_options *options)
{
    const char *first = options->day ? options->day : options->since;
    const char *last = options->day ? options->day : options->until;
    g_autofree char *unused_end = NULL, *unused_begin = NULL;

    if (options->day && (options->since || options->until))
        return ledger_usage_error(app, "--day, and --since or --until");
    if (first && !times_period(first, &options->begin, &unused_end))
        return fail_period(app, options->day ? "--day" : "--since", first);
    if (last && !times_period(last, &unused_begin, &options->end))
        return fail_period(app, options->day ? "--day" : "--until", last);
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

/* Names. */

/* "a, b, c, …"; free with g_free. */
static char *list_values(const GPtrArray *values)
{
    GString *text = g_string_new(NULL);

    for (guint i = 0; i < values->len && i < NAMED_MOST; i++)
        g_string_append_printf(text, "%s%s", i > 0 ? ", " : "",
                               (const char *)g_ptr_array_index(values, i));
    if (values->len > NAMED_MOST)
        g_string_append(text, ", …");
    return g_string_free(text, FALSE);
}

static bool is_among(const GPtrArray *values, const char *text)
{
    for (guint i = 0; i < values->len; i++) {
        if (strcmp(g_ptr_array_index(values, i), text) == 0)
            return true;
    }
    return false;
}

/* Replaces a part of a value by the only value of the ledger that has it. */
static int complete(struct app *app, struct wry_ledger *ledger, enum wry_ledger_field field,
                    const char *what, char **text)
{
    GError *error = NULL;
    g_autoptr(GPtrArray) values = wry_ledger_values(ledger, field, *text, 0, &error);

    if (!values)
        return ledger_fail_read(app, ledger, error);
    if (is_among(values, *text))
        return EXIT_DONE;
    if (values->len != 1) {
        g_autofree char *all = list_values(values);
        return app_fail(
            app, EXIT_USAGE, values->len == 0 ? "'wrytograph ledger list' shows the runs." : all,
            values->len == 0 ? "%s: nothing in the ledger has '%s'" : "%s: several have '%s'", what,
            *text);
    }
    g_free(*text);
    *text = g_strdup(g_ptr_array_index(values, 0));
    return EXIT_DONE;
}

int ledger_filter_board(struct app *app, struct wry_ledger *ledger, char **board)
{
    uint8_t eui48[6];

    if (wry_units_parse_address(*board, eui48)) {
        g_free(*board);
        *board = wry_units_address(eui48);
        return EXIT_DONE;
    }
    if (strspn(*board, "0123456789abcdefABCDEF:") != strlen(*board) || **board == '\0')
        return app_fail(app, EXIT_USAGE,
                        "Six octets, such as 02:57:B8:FE:82:F1, or a part of them, such as 82:F1.",
                        "'%s' is not an address of a board", *board);
    return complete(app, ledger, WRY_LEDGER_BOARDS, "board", board);
}

int ledger_filter_make(struct app *app, struct wry_ledger *ledger, struct ledger_options *options,
                       struct wry_ledger_filter *filter)
{
    int code = options->board ? ledger_filter_board(app, ledger, &options->board) : EXIT_DONE;

    if (code == EXIT_DONE)
        code = parse_outcome(app, options->outcome);
    if (code == EXIT_DONE)
        code = parse_periods(app, options);
    if (code == EXIT_DONE)
        code = parse_most(app, options->most, &filter->most);
    if (code == EXIT_DONE && options->firmware)
        code = complete(app, ledger, WRY_LEDGER_FIRMWARES, "--firmware", &options->firmware);
    if (code == EXIT_DONE && options->lot)
        code = complete(app, ledger, WRY_LEDGER_LOTS, "--lot", &options->lot);
    filter->board = options->board;
    filter->card = options->card;
    filter->lot = options->lot;
    filter->firmware = options->firmware;
    filter->outcome = options->outcome;
    filter->kind = options->kind;
    filter->since = options->begin;
    filter->until = options->end;
    return code;
}

void ledger_filter_clear(struct ledger_options *options)
{
    g_free(options->begin);
    g_free(options->end);
}
