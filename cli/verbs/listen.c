/* listen: a serial terminal for this job. */
#include "station_options.h"
#include "values.h"
#include "verbs.h"
#include "views/terminal.h"

static int run(struct app *app, void *values)
{
    struct terminal_options *options = values;
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

const struct verb verb_listen = {
    .name = "listen",
    .summary = "a serial terminal that can check the board's output",
    .usage = "",
    .examples = {"wrytograph listen --link /dev/ttyUSB0 --speed 115200",
                 "wrytograph listen --send version --expect \"tide-gauge 2.3.1\""},
    .usual = {"link", "speed", "send", "expect", "log"},
    .description =
        "Shows the board's output and sends what is typed or piped in. If the output is not\n"
        "readable, the usual speeds are tried. With --expect it checks the output. --speed is\n"
        "the initial speed, default 115200. An adapter that is unplugged is waited for.\n"
        "  Ctrl-X  ends                    Ctrl-Y  resets the board\n"
        "  Ctrl-K  sends a break           Ctrl-T  sends Ctrl-C to the board\n"
        "  Ctrl-P  types the line before   Ctrl-N  types the line after it\n"
        "  Ctrl-Z  lets the shell in, fg goes on",
    .options = APP_LINK | APP_NO_WORDS,
    .own = terminal_options,
    .clear = terminal_clear,
    .size = sizeof(struct terminal_options),
    .run = run,
};
