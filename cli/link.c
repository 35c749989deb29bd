/* From a link address to a board that answers. */
#include "link.h"

#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "bar.h"
#include "keeping.h"
#include "store/units.h"

static const char examples[] =
    "Use --link /dev/ttyUSB0, rfc2217://HOST:PORT, tcp://HOST:PORT or bench:NAME, or set "
    "WRYTOGRAPH_LINK.";

static int open_bench(struct app *app, const char *name)
{
    g_autofree char *fallback = bench_default_folder();
    GError *error = NULL;

    app->bench = bench_open(app->bench_folder ? app->bench_folder : fallback, name, &error);
    if (!app->bench) {
        bool unknown = g_error_matches(error, BENCH_ERROR, BENCH_ERROR_UNKNOWN);
        int code = app_fail_error(app, error);
        return unknown ? (app->code = EXIT_NO_ANSWER) : code;
    }
    app->port = bench_port(app->bench);
    return EXIT_DONE;
}

/* HOST:PORT, with an IPv6 address in brackets. */
static bool parse_host(const char *text, char **host, uint16_t *port)
{
    const char *colon = strrchr(text, ':');
    guint64 number = 0;

    if (!colon || colon == text ||
        !g_ascii_string_to_unsigned(colon + 1, 10, 1, UINT16_MAX, &number, NULL))
        return false;
    *port = (uint16_t)number;
    if (text[0] == '[' && colon[-1] == ']')
        *host = g_strndup(text + 1, (gsize)(colon - text - 2));
    else if (!memchr(text, ':', (size_t)(colon - text)))
        *host = g_strndup(text, (gsize)(colon - text));
    else
        return false;
    return (*host)[0] != '\0';
}

/* HOST:PORT?speed=BAUD, the latter for a raw pipe whose far end has a fixed speed. */
static int parse_remote(struct app *app, const char *address, char **host,
                        struct wry_remote_settings *settings)
{
    const char *query = strchr(address, '?');
    g_autofree char *place = g_strndup(address, query ? (gsize)(query - address) : strlen(address));
    const char *speed = query && g_str_has_prefix(query, "?speed=") ? strchr(query, '=') + 1 : NULL;

    if (!parse_host(place, host, &settings->port))
        return app_fail(app, EXIT_USAGE, "Write it as HOST:PORT, or [ADDRESS]:PORT for IPv6.",
                        "'%s' is no address", address);
    if (query && (settings->com_port || !speed || !units_parse_speed(speed, &settings->speed)))
        return app_fail(app, EXIT_USAGE,
                        "Only tcp:// takes one: tcp://HOST:PORT?speed=BAUD, for a far end whose "
                        "speed is fixed.",
                        "'%s' is no setting of this link", query);
    settings->host = *host;
    return EXIT_DONE;
}

static int fail_remote(struct app *app, GError *error)
{
    const char *next = "Check host and port, and that the server runs.";
    enum exit_code code = EXIT_NO_ANSWER;

    switch ((enum wry_remote_error)error->code) {
    case WRY_REMOTE_ERROR_NO_COM_PORT:
        next = "For a raw pipe of bytes, use tcp:// instead.";
        break;
    case WRY_REMOTE_ERROR_BUSY:
        next = "End the other program, or wait for it, then run the same command again.";
        break;
    case WRY_REMOTE_ERROR_STOPPED:
        next = NULL;
        code = EXIT_STOPPED;
        break;
    case WRY_REMOTE_ERROR_CONNECT:
        break;
    }
    app_fail(app, code, next, "%s", error->message);
    g_error_free(error);
    return app->code;
}

static int open_remote(struct app *app, const char *address, bool com_port,
                       const struct wry_wiring *wiring)
{
    struct wry_remote_settings settings = {
        .com_port = com_port, .wiring = wiring, .stop = app_stop()};
    g_autofree char *host = NULL;
    GError *error = NULL;
    int code = parse_remote(app, address, &host, &settings);

    if (code != EXIT_DONE)
        return code;
    app->pipe_speed = settings.speed;
    app->remote = wry_remote_open(&settings, &error);
    if (!app->remote)
        return fail_remote(app, error);
    app->port = wry_remote_port(app->remote);
    return EXIT_DONE;
}

static int open_serial(struct app *app, const struct wry_wiring *wiring)
{
    GError *error = NULL;
    const char *next = NULL;

    app->serial = wry_serial_open(app->link, wiring, &error);
    if (app->serial) {
        app->port = wry_serial_port(app->serial);
        return EXIT_DONE;
    }
    if (error->domain == WRY_SERIAL_ERROR) {
        switch ((enum wry_serial_error)error->code) {
        case WRY_SERIAL_ERROR_MISSING:
            next = "'wrytograph ports' lists the ports there are.";
            break;
        case WRY_SERIAL_ERROR_PERMISSION:
            next = "Serial ports belong to the group dialout: 'sudo adduser $USER dialout', then "
                   "log in again.";
            break;
        case WRY_SERIAL_ERROR_BUSY:
            next = "Close that program, then run the same command again.";
            break;
        case WRY_SERIAL_ERROR_OTHER:
            break;
        }
    }
    int code = app_fail(app, EXIT_NO_ANSWER, next, "%s", error->message);
    g_error_free(error);
    return code;
}

static int find_wiring(struct app *app, const struct wry_wiring **wiring)
{
    const char *name = app->wiring_name ? app->wiring_name : g_getenv("WRYTOGRAPH_WIRING");

    *wiring = name && name[0] ? wry_wiring_by_name(name) : wry_wiring_at(0);
    if (*wiring)
        return EXIT_DONE;
    g_autoptr(GString) known = g_string_new("Wirings:");
    for (size_t i = 0; wry_wiring_at(i); i++)
        g_string_append_printf(known, "\n  %-20s %s", wry_wiring_at(i)->name,
                               wry_wiring_at(i)->words);
    return app_fail(app, EXIT_USAGE, known->str, "there is no wiring '%s'", name);
}

/* Without a link: the one USB adapter that is plugged in, if it is the only one. */
static int choose_device(struct app *app)
{
    g_autoptr(GPtrArray) devices = wry_serial_devices();
    g_autoptr(GString) list = g_string_new("Say which one with --link:");
    unsigned count = 0;

    for (guint i = 0; i < devices->len; i++) {
        const struct wry_serial_device *device = g_ptr_array_index(devices, i);
        if (device->usb_vendor == 0)
            continue;
        count++;
        g_string_append_printf(list, "\n  %-16s %s", device->path,
                               device->description ? device->description : "");
        g_free(app->link);
        app->link = g_strdup(device->path);
    }
    if (count == 0)
        return app_fail(app, EXIT_USAGE, examples, "no link given, and no USB adapter is there");
    if (count > 1)
        return app_fail(app, EXIT_USAGE, list->str, "no link given, and there are %u adapters",
                        count);
    app_note(app, "Using %s, the only adapter.", app->link);
    return EXIT_DONE;
}

int link_open(struct app *app)
{
    const struct wry_wiring *wiring;
    int code = find_wiring(app, &wiring);

    if (code != EXIT_DONE)
        return code;
    if (!app->link)
        app->link = g_strdup(g_getenv("WRYTOGRAPH_LINK"));
    if (!app->link || app->link[0] == '\0')
        code = choose_device(app);
    if (code != EXIT_DONE)
        return code;
    if (g_str_has_prefix(app->link, "bench:"))
        return open_bench(app, app->link + strlen("bench:"));
    if (g_str_has_prefix(app->link, "rfc2217://"))
        return open_remote(app, app->link + strlen("rfc2217://"), true, wiring);
    if (g_str_has_prefix(app->link, "tcp://"))
        return open_remote(app, app->link + strlen("tcp://"), false, wiring);
    if (strchr(app->link, '/') && !strstr(app->link, "://"))
        return open_serial(app, wiring);
    return app_fail(app, EXIT_USAGE, examples, "'%s' is not a link", app->link);
}

/* The live line of a call by hand. */
static void show_call(struct app *app, const struct wry_session_progress *progress)
{
    unsigned left = (unsigned)((progress->total - MIN(progress->done, progress->total)) / 1000000);

    if (!app->hand_shown)
        app_note(app, "1. Hold the boot button, or put the strap to ground.\n"
                      "2. Tap reset, or plug the power in.\n"
                      "3. Let the boot button go.");
    if (isatty(STDERR_FILENO))
        fprintf(stderr, "\r\033[KCalling the board; %u s left, Ctrl-C stops", left);
    app->hand_shown = true;
}

/* The live line while the link is lost; it goes when the board is found. */
static void show_loss(struct app *app, bool lost)
{
    if (lost && isatty(STDERR_FILENO))
        fputs("\r\033[KThe link is lost; calling the board again, Ctrl-C stops", stderr);
    else if (!lost && app->loss_shown)
        fputs("\r\033[K", stderr);
    app->loss_shown = lost && isatty(STDERR_FILENO);
}

static bool on_progress(void *context, const struct wry_session_progress *progress)
{
    struct app *app = context;

    if (progress->step == WRY_STEP_CONNECT && app->by_hand)
        show_call(app, progress);
    show_loss(app, progress->lost);
    bar_update(app->bar, progress, app->port->now(app->port->context));
    return app_interrupted();
}

static int check_chip(struct app *app)
{
    const struct wry_chip *chip = link_chip(app);
    const struct wry_chip *expected = app->expect_chip ? wry_chip_by_name(app->expect_chip) : chip;

    if (!expected || chip == expected)
        return EXIT_DONE;
    return app_fail(app, EXIT_WRONG,
                    "Nothing was changed. Check that the right board is connected.",
                    "this board has a %s (code 0x%04X), not a %s",
                    chip ? chip->title : "chip unknown to this version",
                    app->session.board.chip_code, expected->title);
}

static int check_flash(struct app *app)
{
    uint32_t expected = 0;

    if (!app->expect_flash)
        return EXIT_DONE;
    units_parse_size(app->expect_flash, &expected);
    if (expected == app->session.board.capacity)
        return EXIT_DONE;
    g_autofree char *found = units_flash_size(app->session.board.capacity);
    g_autofree char *wanted = units_flash_size(expected);
    return app_fail(app, EXIT_WRONG,
                    "Nothing was changed. Check that the right board is connected.",
                    "this board has %s of flash, not %s", found, wanted);
}

/* Bad option values are found before the board is touched. */
static int check_options(struct app *app, uint32_t *speed, uint32_t *call_speed)
{
    uint32_t size;

    if (app->speed && !units_parse_speed(app->speed, speed))
        return app_fail(app, EXIT_USAGE, "Give a number from 9600 to 12000000, such as 921600.",
                        "'%s' is no speed in baud", app->speed);
    if (app->call_speed && !units_parse_speed(app->call_speed, call_speed))
        return app_fail(app, EXIT_USAGE, "Give a number from 9600 to 12000000, such as 57600.",
                        "'%s' is no speed in baud", app->call_speed);
    if (app->expect_chip && !wry_chip_by_name(app->expect_chip))
        return app_fail(app, EXIT_USAGE, "Known are sanderling-s1, turnstone-t2 and dunlin-d3.",
                        "there is no chip '%s'", app->expect_chip);
    if (app->expect_flash && !units_parse_size(app->expect_flash, &size))
        return app_fail(app, EXIT_USAGE, "Write it as 4MiB, 4M, 32Mbit or 0x400000.",
                        "'%s' is no flash size", app->expect_flash);
    return EXIT_DONE;
}

uint32_t link_token(const struct app *app)
{
    return app->bench ? 1 : g_random_int();
}

int link_config(struct app *app, struct wry_session_config *config)
{
    int code = check_options(app, &config->max_speed, &config->start_speed);

    if (code != EXIT_DONE)
        return code;
    if ((app->wait && !units_parse_time(app->wait, &config->call_time)) ||
        (app->patience && !units_parse_time(app->patience, &config->patience)))
        return app_fail(app, EXIT_USAGE, "Write times in seconds, such as 10s.",
                        "--wait or --patience is no time");
    config->by_hand = app->by_hand;
    config->every_sector = app->every_sector;
    config->trust_capacity = app->expect_flash != NULL;
    config->context = app;
    config->progress = on_progress;
    return EXIT_DONE;
}

void link_fix_speed(const struct app *app, struct wry_session_config *config)
{
    if (app->pipe_speed > 0)
        config->start_speed = config->max_speed = app->pipe_speed;
}

enum wry_status link_call(struct app *app, const struct wry_session_config *config)
{
    app_interrupted();
    app->started = app->port->now(app->port->context);
    struct wry_session_config named = *config;
    named.token = link_token(app);
    wry_session_init(&app->session, app->port, &named);
    enum wry_status status = wry_session_connect(&app->session);
    if (app->hand_shown && isatty(STDERR_FILENO))
        fputs("\r\033[K", stderr);
    app->heard_before = wry_session_stats(&app->session)->bytes_printable;
    if (app->hand_shown && status == WRY_OK)
        app_note(app, "The board answers.");
    return status;
}

int link_connect(struct app *app)
{
    struct wry_session_config config = {0};
    int code = link_config(app, &config);

    if (code == EXIT_DONE)
        code = link_open(app);
    if (code != EXIT_DONE)
        return code;
    link_fix_speed(app, &config);
    enum wry_status status = link_call(app, &config);
    if (status != WRY_OK)
        return app_fail_session(app, status);
    if (app->session.stats.speed_steps_down > 0)
        app_note(app, "The link did not hold a faster speed; going on at %u baud.",
                 (unsigned)app->session.speed);
    code = check_chip(app);
    if (code == EXIT_DONE)
        code = check_flash(app);
    if (code == EXIT_DONE)
        keeping_tell(app);
    return code;
}

const struct wry_chip *link_chip(const struct app *app)
{
    return wry_chip_by_code(app->session.board.chip_code);
}

char *link_describe(const struct app *app)
{
    const struct wry_chip *chip = link_chip(app);
    g_autofree char *address = units_address(app->session.board.eui48);
    g_autofree char *size = units_flash_size(app->session.board.capacity);

    return g_strdup_printf("%s (%s, %s flash) on %s at %u baud", address,
                           chip ? chip->title : "unknown chip", size, app->link,
                           (unsigned)app->session.speed);
}

double link_seconds(const struct app *app)
{
    return (double)(app->port->now(app->port->context) - app->started) / 1e6;
}

/* Verbs that change nothing leave the board running, as it was found. */
static void leave_board(struct app *app)
{
    static const char *const reading[] = {"identify", "backup", "verify", "plan", "examine"};
    bool runs_again = false;

    for (size_t i = 0; i < G_N_ELEMENTS(reading) && !app->stay; i++)
        runs_again |= strcmp(app->verb, reading[i]) == 0;
    if (runs_again)
        wry_session_start(&app->session);
    else
        wry_session_leave(&app->session);
}

void link_close(struct app *app)
{
    show_loss(app, false);
    if (app->port && app->session.connected && !app->session.port_failed)
        leave_board(app);
    keeping_close(app);
    wry_serial_close(app->serial);
    app->serial = NULL;
    wry_remote_close(app->remote);
    app->remote = NULL;
    bench_close(app->bench);
    app->bench = NULL;
    app->port = NULL;
}
