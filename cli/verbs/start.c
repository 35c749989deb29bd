/* start: leave loading mode, run the firmware, and hear its first words. */
#include "station.h"
#include "verbs.h"
#include "views/terminal.h"

#define FIRST_WORDS 1500000u /* us: enough for the boot text, when no more is asked for */

static int run(struct app *app, struct terminal_options *options)
{
    struct wry_talk_wanted wanted = {0};
    int code = terminal_wanted(app, options, &wanted);

    if (code == EXIT_DONE)
        code = station_make(app);
    if (code == EXIT_DONE)
        code = station_conclude(app, wry_station_connect(app->station));
    if (code != EXIT_DONE)
        return code;
    if (!app->listen && wanted.step_count == 0 && wanted.time == 0)
        wanted.time = FIRST_WORDS;
    return terminal_run(app, options, &wanted, wry_station_start);
}

int verb_start(struct app *app, int argc, char **argv)
{
    struct terminal_options options = {0};
    int code = terminal_parse(app, argc, argv, &options) ? run(app, &options) : app->code;

    terminal_free(&options);
    return code;
}
