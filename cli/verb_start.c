/* start: leave loading mode, run the firmware, and show its first words. */
#include <string.h>

#include "link.h"

#define LISTEN_TIME 1500000u /* us in all */
#define QUIET_TIME 400000u   /* us of silence that end the first words */
#define TEXT_MAX 4096u

/* Gathers what the board prints until it falls silent. */
static void listen(struct app *app, GString *text)
{
    const struct wry_port *port = app->port;
    uint64_t end = port->now(port->context) + LISTEN_TIME;
    uint8_t bytes[256];
    size_t got = 1;

    while (got > 0 && text->len < TEXT_MAX && !app_interrupted()) {
        uint64_t quiet = port->now(port->context) + QUIET_TIME;
        if (port->read(port->context, bytes, sizeof bytes, MIN(quiet, end), &got) != WRY_OK)
            return;
        for (size_t i = 0; i < got; i++) {
            bool printable = (bytes[i] >= 0x20 && bytes[i] < 0x7F) || bytes[i] == '\n';
            if (printable)
                g_string_append_c(text, (char)bytes[i]);
            else if (bytes[i] != '\r')
                g_string_append_printf(text, "<%02X>", bytes[i]);
        }
    }
}

static void print_words(struct app *app, const GString *text)
{
    g_auto(GStrv) lines = g_strsplit(text->str, "\n", -1);

    for (char **line = lines; *line; line++) {
        if ((*line)[0] != '\0')
            app_print(app, "| %s", *line);
    }
    app_json_text(app, "first_words", text->str);
}

static int start(struct app *app)
{
    const struct wry_chip *chip = link_chip(app);
    uint32_t speed = chip ? chip->run_speed : WRY_STARTING_SPEED;
    g_autoptr(GString) text = g_string_new(NULL);
    enum wry_status status = wry_session_start(&app->session);

    if (status == WRY_OK)
        status = app->port->set_speed(app->port->context, speed);
    if (status != WRY_OK)
        return app_fail_session(app, status);
    listen(app, text);
    app_json_number(app, "speed_baud", speed);
    print_words(app, text);
    if (app_interrupted())
        return app_fail(app, EXIT_STOPPED, "The board has left loading mode.",
                        "stopped at your request");
    if (text->len == 0)
        app_print(app, "The board has left loading mode. It printed nothing at %u baud.",
                  (unsigned)speed);
    else
        app_print(app, "The board has left loading mode. Its first words at %u baud are above.",
                  (unsigned)speed);
    return EXIT_DONE;
}

int verb_start(struct app *app, int argc, char **argv)
{
    if (!app_parse(app, argc, argv, APP_LINK, NULL, "",
                   "Restarts the board into its firmware and shows what it prints first."))
        return app->code;
    if (app->rest[0])
        return app_fail(app, EXIT_USAGE, "See 'wrytograph start --help'.", "'%s' was not expected",
                        app->rest[0]);
    int code = link_connect(app);
    return code == EXIT_DONE ? start(app) : code;
}
