/* The station for the common options. */
#include "station_options.h"

#include <string.h>

#include "places_file.h"
#include "values.h"
#include "views/announce.h"
#include "views/explain.h"
#include "views/mismatches.h"
#include "views/progress.h"
#include "views/terminal.h"
#include "views/trace.h"
#include "wrytograph-host/inspect.h"
#include "wrytograph-host/ledger.h"

static void on_event(void *context, const struct wry_event *event)
{
    const struct app *app = context;

    if (!app->quiet)
        progress_show(app->live, event);
    if (app->terminal && event->kind == WRY_EVENT_NOTE)
        terminal_give_way(app->terminal);
    if (event->kind == WRY_EVENT_NOTE && event->note != WRY_NOTE_SPEED_TRIED)
        explain_note(app, event);
    else if (event->kind == WRY_EVENT_PLANNED && !(app->verb->options & APP_SETTINGS))
        announce(app, event->planned);
    else if (event->kind == WRY_EVENT_COMPARED)
        mismatches_print(app, event->comparison);
    if (app->terminal)
        terminal_hear(app->terminal, event);
}

static void on_trace(void *context, const struct wry_trace *trace)
{
    const struct app *app = context;

    trace_show(app->trace, trace);
}

static int parse_expected(struct app *app, struct wry_station_settings *settings)
{
    int code = EXIT_DONE;

    if (app->expect_chip)
        code = values_chip(app, app->expect_chip, &settings->expect_chip);
    if (code == EXIT_DONE && app->expect_flash)
        code = values_flash(app, app->expect_flash, &settings->expect_flash);
    return code;
}

/* A ledger that cannot be opened does not prevent work. */
static void open_ledger(struct app *app)
{
    g_autoptr(GError) error = NULL;

    if (!(app->verb->options & APP_LEDGER) || app->dry_run || app->ledger)
        return;
    app->ledger = wry_ledger_open(app->ledger_name, &error);
    if (!app->ledger)
        app_note(app, "Note: this job is not recorded: %s.", error->message);
}

int station_settings(struct app *app, struct wry_station_settings *settings)
{
    *settings = (struct wry_station_settings){
        .link = app->link ? app->link : g_getenv("WRYTOGRAPH_LINK"),
        .bench_folder = app->bench_folder,
        .by_hand = app->by_hand,
        .leaves_running = app->verb->leaves_running && !app->stay,
        .clear_protection = app->clear_protection,
        .without_known = app->no_guess,
        .layout_file = app->layout_path,
        .settings_description = app->settings_description,
        .done_by = app->done_by ? app->done_by : g_getenv("WRYTOGRAPH_OPERATOR"),
        .context = app,
        .event = on_event,
        .stop = app_stop()};
    const char *speed = app->speed ? app->speed : g_getenv("WRYTOGRAPH_SPEED");
    /* What to press must be seen. */
    app->quiet = app->quiet && !app->by_hand;
    if (app->verbose) {
        app->trace = app->trace ? app->trace : trace_new(app);
        settings->trace = on_trace;
    }
    int code = values_speed(app, speed && speed[0] ? speed : NULL, "921600", &settings->max_speed);

    if (code == EXIT_DONE)
        code = values_speed(app, app->call_speed, "57600", &settings->call_speed);
    if (code == EXIT_DONE)
        code = parse_expected(app, settings);
    if (code == EXIT_DONE)
        code = values_time(app, "--wait", app->wait, &settings->call_time);
    if (code == EXIT_DONE)
        code = values_time(app, "--patience", app->patience, &settings->patience);
    if (code == EXIT_DONE)
        code = values_wiring(app, &settings->wiring);
    if (code != EXIT_DONE)
        return code;
    open_ledger(app);
    settings->ledger = app->ledger;
    app_interrupted(); /* from now on Ctrl-C asks to stop */
    return EXIT_DONE;
}

void station_make_of(struct app *app, const struct wry_station_settings *settings)
{
    app->live = progress_new(app->by_hand);
    app->station = wry_station_new(settings);
}

int station_make(struct app *app)
{
    struct wry_station_settings settings;
    int code = station_settings(app, &settings);

    if (code == EXIT_DONE)
        station_make_of(app, &settings);
    return code;
}

static void keep_spent(struct app *app)
{
    struct wry_spent spent;

    if (!app->station || !wry_station_spent(app->station, &spent))
        return;
    app->linked = true;
    app->simulated |= wry_station_is_simulated(app->station);
    app->spent.seconds += spent.seconds;
    app->spent.connecting += spent.connecting;
    app->spent.bytes_sent += spent.bytes_sent;
    app->spent.bytes_received += spent.bytes_received;
}

void station_leave(struct app *app)
{
    keep_spent(app);
    wry_station_free(app->station);
    app->station = NULL;
    progress_free(app->live);
    app->live = NULL;
}

void station_end(struct app *app)
{
    station_leave(app);
    g_clear_pointer(&app->trace, trace_free);
    wry_ledger_close(app->ledger);
    app->ledger = NULL;
}

int station_parse_format(struct app *app, const enum wry_image_format **format)
{
    *format = wry_image_format_by_name(app->format);
    if (!app->format || *format)
        return EXIT_DONE;
    return app_fail(app, EXIT_USAGE, "Formats are raw, hex and srec.",
                    "'%s' is not an image format", app->format);
}

static int parse_small(struct app *app, const char *option, const char *text, const char *next,
                       uint8_t *value)
{
    guint64 number = 0;

    if (!text)
        return EXIT_DONE;
    if (!g_ascii_string_to_unsigned(text, 10, 1, UINT8_MAX, &number, NULL))
        return app_fail(app, EXIT_USAGE, next, "%s: '%s' is not a value", option, text);
    *value = (uint8_t)number;
    return EXIT_DONE;
}

static int parse_read_mode(struct app *app, struct wry_images_options *options)
{
    static const char lines[] = "Data lines are 1, 2 or 4.";
    int code = parse_small(app, "--read-mode", app->read_mode, lines, &options->read_lines);
    uint8_t n = options->read_lines;

    if (code == EXIT_DONE)
        code = parse_small(app, "--read-clock", app->read_clock, "Give MHz, such as 40.",
                           &options->read_clock);
    if (code != EXIT_DONE)
        return code;
    if (n == 3 || n > 4)
        return app_fail(app, EXIT_USAGE, lines, "--read-mode: '%s' is not a value", app->read_mode);
    if (app->leave_header && (app->read_mode || app->read_clock))
        return app_fail(app, EXIT_USAGE, "Give one of them.",
                        "--leave-header together with a read mode");
    return EXIT_DONE;
}

/* Splits KEY=VALUE or REGION/KEY=VALUE in place. */
static int parse_setting(struct app *app, const char *option, char *text,
                         struct wry_setting_options *setting)
{
    char *equals = strchr(text, '=');
    char *slash = equals ? memchr(text, '/', (size_t)(equals - text)) : NULL;

    if (!equals || equals == text || slash == text || (slash && slash + 1 == equals))
        return app_fail(app, EXIT_USAGE,
                        "Write it as KEY=VALUE or REGION/KEY=VALUE, such as datum_mm=-1827.",
                        "%s: '%.*s' is not a setting", option,
                        (int)(equals ? equals - text : (ptrdiff_t)strlen(text)), text);
    *equals = '\0';
    if (slash)
        *slash = '\0';
    setting->region = slash ? text : NULL;
    setting->key = slash ? slash + 1 : text;
    setting->value = equals + 1;
    return EXIT_DONE;
}

static int parse_settings(struct app *app, struct wry_images_options *options)
{
    size_t known = app->set ? g_strv_length(app->set) : 0;
    size_t count = known + (app->set_new ? g_strv_length(app->set_new) : 0);
    struct wry_setting_options *settings = g_new0(struct wry_setting_options, count);
    int code = EXIT_DONE;

    options->settings = settings;
    options->setting_count = count;
    for (size_t i = 0; i < count && code == EXIT_DONE; i++) {
        settings[i].is_new = i >= known;
        code = i < known ? parse_setting(app, "--set", app->set[i], &settings[i])
                         : parse_setting(app, "--set-new", app->set_new[i - known], &settings[i]);
    }
    return code;
}

int station_parse_images(struct app *app, struct wry_images_options *options)
{
    int code = places_file_add(app);
    size_t count = g_strv_length(app->rest);
    struct wry_image_options *images = g_new0(struct wry_image_options, count);

    *options = (struct wry_images_options){.images = images,
                                           .image_count = count,
                                           .leave_header = app->leave_header,
                                           .any_content = app->any_content,
                                           .any_place = app->any_place,
                                           .from_another_board = app->from_another_board,
                                           .every_sector = app->every_sector,
                                           .dry_run = app->dry_run};
    if (code != EXIT_DONE)
        return code;
    for (size_t i = 0; i < count; i++) {
        char *argument = app->rest[i], *equals = strchr(argument, '=');
        if (equals && (equals == argument || equals[1] == '\0'))
            return app_fail(app, EXIT_USAGE,
                            "Write it as OFFSET=FILE or REGION=FILE, such as 0x4000=start.bin.",
                            "'%s' is not a placement", argument);
        images[i].file = equals ? equals + 1 : argument;
        images[i].place = equals ? argument : NULL;
        if (equals)
            *equals = '\0';
    }
    code = station_parse_format(app, &options->format);
    if (code == EXIT_DONE)
        code = parse_read_mode(app, options);
    return code == EXIT_DONE ? parse_settings(app, options) : code;
}

void station_free_images(struct wry_images_options *options)
{
    g_free((struct wry_image_options *)options->images);
    g_free((struct wry_setting_options *)options->settings);
}

/* Its firmware does not run: that must not be a surprise. Cards say themselves how they end. */
static void note_loading(struct app *app, enum wry_outcome outcome)
{
    bool starts = app->verb->leaves_running && !app->stay;
    bool lost = outcome == WRY_OUTCOME_LINK_LOST || outcome == WRY_OUTCOME_NO_ANSWER;

    app->left_loading = app->station && wry_station_board(app->station) && !starts && !lost &&
                        !(app->verb->options & APP_LINKS);
}

int station_conclude(struct app *app, enum wry_outcome outcome)
{
    note_loading(app, outcome);
    return outcome == WRY_OUTCOME_DONE ? EXIT_DONE
                                       : explain(app, wry_station_problem(app->station));
}
