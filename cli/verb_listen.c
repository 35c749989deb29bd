/* listen: a serial terminal for this job. */
#include "link.h"
#include "store/units.h"
#include "terminal.h"

static int run(struct app *app, struct terminal_options *options)
{
    options->speed = 115200;
    if (app->rest[0])
        return app_fail(app, EXIT_USAGE, "See 'wrytograph listen --help'.", "'%s' was not expected",
                        app->rest[0]);
    if (app->speed && !units_parse_speed(app->speed, &options->speed))
        return app_fail(app, EXIT_USAGE, "Give a number from 9600 to 12000000, such as 115200.",
                        "'%s' is no speed in baud", app->speed);
    int code = terminal_check(app, options);
    if (code == EXIT_DONE)
        code = link_open(app);
    if (code != EXIT_DONE)
        return code;
    /* Opening a port may have pulled its outputs: let the board go. */
    app->port->set_lines(app->port->context, false, false);
    return terminal_run(app, options);
}

int verb_listen(struct app *app, int argc, char **argv)
{
    struct terminal_options options = {0};
    g_autofree GOptionEntry *entries = terminal_entries(&options);
    int code;

    if (app_parse(app, argc, argv, APP_LINK, entries, "",
                  "Shows what the board says and sends what is typed or piped in. Ctrl-X leaves.\n"
                  "When what arrives is not readable, the usual speeds are tried. With --expect\n"
                  "it is a check. --speed is the speed to begin with, else 115200."))
        code = run(app, &options);
    else
        code = app->code;
    terminal_free(&options);
    return code;
}
