/* listen: a serial terminal for this job. */
#include "base/units.h"
#include "station.h"
#include "verbs.h"
#include "views/terminal.h"

static int run(struct app *app, const struct terminal_options *options)
{
    struct wry_talk_wanted wanted = {0};

    if (app->speed && !units_parse_speed(app->speed, &wanted.speed))
        return app_fail(app, EXIT_USAGE, "Give a number from 9600 to 12000000, such as 115200.",
                        "'%s' is no speed in baud", app->speed);
    int code = terminal_wanted(app, options, &wanted);
    if (code == EXIT_DONE)
        code = station_make(app);
    if (code == EXIT_DONE)
        code = station_conclude(app, wry_station_open(app->station));
    return code == EXIT_DONE ? terminal_run(app, options, &wanted, wry_station_listen) : code;
}

int verb_listen(struct app *app, int argc, char **argv)
{
    struct terminal_options options = {0};
    g_autofree GOptionEntry *entries = terminal_entries(&options);
    int code = app_parse(app, argc, argv, entries) ? run(app, &options) : app->code;

    terminal_free(&options);
    return code;
}
