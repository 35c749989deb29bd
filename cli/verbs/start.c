/* start: leaves loading mode, runs the firmware and shows its first output. */
#include "station_options.h"
#include "verbs.h"
#include "views/terminal.h"

#define FIRST_WORDS 1500000u /* us to listen by default: enough for the boot text */

static int run(struct app *app, void *values)
{
    struct terminal_options *options = values;
    struct wry_console_options job_options = {0};
    int code = terminal_console_options(app, options, &job_options);

    if (code == EXIT_DONE)
        code = station_make(app);
    if (code == EXIT_DONE)
        code = station_conclude(app, wry_station_connect(app->station));
    if (code != EXIT_DONE)
        return code;
    if (!app->listen && job_options.step_count == 0 && job_options.time == 0)
        job_options.time = FIRST_WORDS;
    return terminal_run(app, options, &job_options, wry_station_start);
}

const struct verb verb_start = {
    .name = "start",
    .summary = "leave loading mode and run the firmware",
    .usage = "",
    .examples = {"wrytograph start",
                 "wrytograph start --send version --expect \"tide-gauge 2.3.1\""},
    .usual = {"link", "send", "expect", "within", "log"},
    .description =
        "Restarts the board into its firmware and shows its first output. With --listen it\n"
        "continues like 'wrytograph listen'; with --expect it checks the output.",
    .options = APP_LINK | APP_LISTEN | APP_NO_WORDS,
    .own = terminal_options,
    .clear = terminal_clear,
    .size = sizeof(struct terminal_options),
    .run = run,
};
