/* start: leave loading mode, run the firmware, and hear its first words. */
#include "link.h"
#include "terminal.h"

/* Long enough for the boot text, when no more is asked for. */
#define FIRST_WORDS "1.5s"

static int start(struct app *app, struct terminal_options *options)
{
    const struct wry_chip *chip = link_chip(app);
    enum wry_status status = wry_session_start(&app->session);

    if (status != WRY_OK)
        return app_fail_session(app, status);
    app_note(app, "The board has left loading mode.");
    options->speed = chip ? chip->run_speed : WRY_STARTING_SPEED;
    if (!app->listen && !options->expect && !options->send && !options->within)
        options->within = g_strdup(FIRST_WORDS);
    return terminal_run(app, options);
}

static int run(struct app *app, struct terminal_options *options)
{
    int code = terminal_check(app, options);

    if (code == EXIT_DONE && app->rest[0])
        code = app_fail(app, EXIT_USAGE, "See 'wrytograph start --help'.", "'%s' was not expected",
                        app->rest[0]);
    if (code == EXIT_DONE)
        code = link_connect(app);
    return code == EXIT_DONE ? start(app, options) : code;
}

int verb_start(struct app *app, int argc, char **argv)
{
    struct terminal_options options = {0};
    g_autofree GOptionEntry *entries = terminal_entries(&options);
    int code;

    if (app_parse(app, argc, argv, APP_LINK | APP_LISTEN, entries, "",
                  "Restarts the board into its firmware and shows what it prints first. With\n"
                  "--listen it stays at the line as 'wrytograph listen' does; with --expect it "
                  "is a check."))
        code = run(app, &options);
    else
        code = app->code;
    terminal_free(&options);
    return code;
}
