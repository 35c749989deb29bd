/* listen: a serial terminal for this job. */
#include "station_options.h"
#include "values.h"
#include "verbs.h"
#include "views/terminal.h"

static int run(struct app *app, struct terminal_options *options)
{
    struct wry_console_options job_options = {0};

    int code = values_speed(app, app->speed, "115200", &job_options.speed);
    if (code == EXIT_DONE)
        code = terminal_console_options(app, options, &job_options);
    if (code == EXIT_DONE)
        code = station_make(app);
    if (code == EXIT_DONE)
        code = station_conclude(app, wry_station_open(app->station));
    return code == EXIT_DONE ? terminal_run(app, options, &job_options, wry_station_listen) : code;
}

int verb_listen(struct app *app, int argc, char **argv)
{
    struct terminal_options options = {0};
    int code = terminal_parse(app, argc, argv, &options) ? run(app, &options) : app->code;

    terminal_free(&options);
    return code;
}
