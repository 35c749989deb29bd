/* The station that the common options describe. */
#include "station.h"

#include <string.h>

#include "store/image_file.h"
#include "values.h"
#include "views/announce.h"
#include "views/differences.h"
#include "views/explain.h"
#include "views/live.h"
#include "views/notes.h"
#include "views/terminal.h"

static void on_event(void *context, const struct wry_event *event)
{
    const struct app *app = context;

    live_show(app->live, event);
    if (event->kind == WRY_EVENT_NOTE)
        notes_tell(app, event);
    else if (event->kind == WRY_EVENT_PLANNED)
        announce(app, event->planned);
    else if (event->kind == WRY_EVENT_COMPARED)
        differences_print(app, event->comparison);
    if (app->terminal)
        terminal_hear(app->terminal, event);
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

static int parse_wiring(struct app *app, struct wry_station_settings *settings)
{
    const char *name = app->wiring_name ? app->wiring_name : g_getenv("WRYTOGRAPH_WIRING");

    settings->wiring = name && name[0] ? wry_wiring_by_name(name) : wry_wiring_at(0);
    if (settings->wiring)
        return EXIT_DONE;
    g_autoptr(GString) known = g_string_new("Wirings:");
    for (size_t i = 0; wry_wiring_at(i); i++)
        g_string_append_printf(known, "\n  %-20s %s", wry_wiring_at(i)->name,
                               wry_wiring_at(i)->words);
    return app_fail(app, EXIT_USAGE, known->str, "there is no wiring '%s'", name);
}

int station_make(struct app *app)
{
    struct wry_station_settings settings = {
        .link = app->link ? app->link : g_getenv("WRYTOGRAPH_LINK"),
        .bench_folder = app->bench_folder,
        .by_hand = app->by_hand,
        .leaves_running = app->verb->leaves_running && !app->stay,
        .without_known = app->no_guess,
        .layout_file = app->layout_path,
        .context = app,
        .event = on_event,
        .stop = app_stop()};
    int code = values_speed(app, app->speed, "921600", &settings.max_speed);

    if (code == EXIT_DONE)
        code = values_speed(app, app->call_speed, "57600", &settings.call_speed);
    if (code == EXIT_DONE)
        code = parse_expected(app, &settings);
    if (code == EXIT_DONE)
        code = values_time(app, "--wait", app->wait, &settings.call_time);
    if (code == EXIT_DONE)
        code = values_time(app, "--patience", app->patience, &settings.patience);
    if (code == EXIT_DONE)
        code = parse_wiring(app, &settings);
    if (code != EXIT_DONE)
        return code;
    app_interrupted(); /* from now on Ctrl-C asks to stop */
    app->live = live_new(app->by_hand);
    app->station = wry_station_new(&settings);
    return EXIT_DONE;
}

void station_end(struct app *app)
{
    wry_station_free(app->station);
    app->station = NULL;
    live_free(app->live);
    app->live = NULL;
}

int station_parse_format(struct app *app, const enum wry_image_format **format)
{
    *format = image_format_by_name(app->format);
    if (!app->format || *format)
        return EXIT_DONE;
    return app_fail(app, EXIT_USAGE, "Formats are raw, hex and srec.", "'%s' is no image format",
                    app->format);
}

int station_parse_images(struct app *app, struct wry_images_wanted *wanted)
{
    size_t count = g_strv_length(app->rest);
    struct wry_image_wanted *images = g_new0(struct wry_image_wanted, count);

    *wanted = (struct wry_images_wanted){.images = images,
                                         .image_count = count,
                                         .leave_header = app->leave_header,
                                         .any_content = app->any_content,
                                         .every_sector = app->every_sector,
                                         .dry_run = app->dry_run};
    for (size_t i = 0; i < count; i++) {
        char *argument = app->rest[i], *equals = strchr(argument, '=');
        if (equals && (equals == argument || equals[1] == '\0'))
            return app_fail(app, EXIT_USAGE,
                            "Write it as OFFSET=FILE or REGION=FILE, such as 0x4000=start.bin.",
                            "'%s' is no placement", argument);
        images[i].file = equals ? equals + 1 : argument;
        images[i].place = equals ? argument : NULL;
        if (equals)
            *equals = '\0';
    }
    return station_parse_format(app, &wanted->format);
}

void station_free_images(struct wry_images_wanted *wanted)
{
    g_free((struct wry_image_wanted *)wanted->images);
}

int station_conclude(struct app *app, enum wry_outcome outcome)
{
    return outcome == WRY_OUTCOME_DONE ? EXIT_DONE
                                       : explain(app, wry_station_problem(app->station));
}
