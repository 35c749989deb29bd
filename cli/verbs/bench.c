/* bench: simulated boards that stand in for hardware. */
#include <json-glib/json-glib.h>
#include <stdio.h>

#include "bench_serve.h"
#include "values.h"
#include "verbs.h"
#include "views/explain.h"
#include "views/json.h"
#include "views/table.h"
#include "wrytograph-host/bench.h"
#include "wrytograph-host/error.h"
#include "wrytograph-host/units.h"

struct bench_options {
    char *chip, *flash, *content, *wired;
    int revision;
    char *host;
    int port;
    gboolean pty;
};

static int usage_error(struct app *app, const char *what)
{
    return app_fail(app, EXIT_USAGE, "See 'wrytograph bench --help'.", "%s", what);
}

static int add(struct app *app, const struct bench_options *options)
{
    struct wry_bench_board board = {.revision = (uint8_t)options->revision};
    GError *error = NULL;
    const char *name = app->rest[1];

    if (!name || app->rest[2] || !options->chip || !options->flash)
        return usage_error(app, "'bench add' takes NAME, --chip and --flash");
    int code = values_chip(app, options->chip, &board.chip);
    if (code == EXIT_DONE)
        code = values_flash(app, options->flash, &board.flash_size);
    board.wiring = options->wired ? wry_wiring_by_name(options->wired) : wry_wiring_at(0);
    if (code == EXIT_DONE && !board.wiring)
        return usage_error(
            app, "--wired is rts-reset, dtr-reset, either with -inverted, cross-coupled or none");
    if (code != EXIT_DONE)
        return code;
    if (!wry_bench_add(app->bench_folder, name, &board, options->content, &error))
        return explain_error(app, error);
    g_autofree char *address = wry_units_address(board.eui48);
    app_print(app, "Board '%s' is on the bench: %s, %s. Its link is bench:%s", name,
              board.chip->title, address, name);
    json_add(app->json, json_text("name", name), json_text("address", address));
    return EXIT_DONE;
}

static int list_board(struct app *app, struct table *table, const char *name)
{
    struct wry_bench_board board;
    GError *error = NULL;

    if (!wry_bench_load(app->bench_folder, name, &board, &error))
        return explain_error(app, error);
    g_autofree char *address = wry_units_address(board.eui48);
    g_autofree char *size = wry_units_flash_size(board.flash_size);
    table_row(table, name, board.chip->title, address, size,
              board.faults[0] ? board.faults : "no faults", NULL);
    json_add_object(app->json, json_text("name", name), json_text("chip", board.chip->name),
                    json_text("address", address), json_number("flash_bytes", board.flash_size),
                    json_text("faults", board.faults));
    wry_bench_board_clear(&board);
    return EXIT_DONE;
}

static int list(struct app *app)
{
    GError *error = NULL;
    int code = EXIT_DONE;
    g_auto(GStrv) names = wry_bench_list(app->bench_folder, &error);

    if (!names)
        return explain_error(app, error);
    if (!names[0])
        app_print(app, "The bench in %s is empty. 'wrytograph bench add' puts a board on it.",
                  app->bench_folder);
    struct table *table = table_new(app, "board", "chip", "address", "flash", "faults", NULL);
    json_begin_list(app->json, "boards");
    for (char **name = names; *name && code == EXIT_DONE; name++)
        code = list_board(app, table, *name);
    json_builder_end_array(app->json);
    table_end(table, false);
    return code;
}

static int fault(struct app *app)
{
    struct wry_bench_board board;
    GError *error = NULL;
    const char *name = app->rest[1];

    if (!name || !app->rest[2])
        return usage_error(app, "'bench fault' takes NAME and one fault or more");
    if (!wry_bench_set_faults(app->bench_folder, name, (const char *const *)app->rest + 2,
                              &error) ||
        !wry_bench_load(app->bench_folder, name, &board, &error))
        return explain_error(app, error);
    app_print(app, "Board '%s' has %s%s.", name, board.faults[0] ? "these faults: " : "no faults",
              board.faults);
    json_add(app->json, json_text("faults", board.faults));
    wry_bench_board_clear(&board);
    return EXIT_DONE;
}

static int take_away(struct app *app)
{
    GError *error = NULL;
    const char *name = app->rest[1];

    if (!name || app->rest[2])
        return usage_error(app, "'bench remove' takes NAME");
    if (!wry_bench_remove(app->bench_folder, name, &error))
        return explain_error(app, error);
    app_print(app, "Board '%s' and its flash are removed from the bench.", name);
    return EXIT_DONE;
}

static int press(struct app *app)
{
    static const char *const states[] = {
        [WRY_BENCH_BUTTON_RELEASED] = "not held",
        [WRY_BENCH_BUTTON_HELD] = "held",
        [WRY_BENCH_BUTTON_HELD_ONCE] = "held through the next reset",
    };
    enum wry_bench_button boot;
    GError *error = NULL;
    const char *name = app->rest[1];

    if (!name || !app->rest[2]) {
        error = g_error_new_literal(WRY_BENCH_ERROR, WRY_BENCH_ERROR_BAD_BUTTON,
                                    "'bench press' takes NAME and what to press");
        return explain_error(app, error);
    }
    if (!wry_bench_press(app->bench_folder, name, (const char *const *)app->rest + 2, &boot,
                         &error))
        return explain_error(app, error);
    app_print(app, "Board '%s': its boot button is %s.", name, states[boot]);
    json_add(app->json, json_flag("boot_held", boot == WRY_BENCH_BUTTON_HELD));
    return EXIT_DONE;
}

static int dispatch(struct app *app, const struct bench_options *options)
{
    const char *what = app->rest[0];

    if (!app->bench_folder)
        app->bench_folder = wry_bench_default_folder();
    if (g_strcmp0(what, "add") == 0)
        return add(app, options);
    if (g_strcmp0(what, "list") == 0)
        return app->rest[1] ? usage_error(app, "'bench list' takes no arguments") : list(app);
    if (g_strcmp0(what, "fault") == 0)
        return fault(app);
    if (g_strcmp0(what, "serve") == 0)
        return bench_serve(
            app, &(struct wry_bench_server_settings){.folder = app->bench_folder,
                                                     .host = options->host,
                                                     .first_port = (uint16_t)options->port,
                                                     .pty = options->pty});
    if (g_strcmp0(what, "remove") == 0)
        return take_away(app);
    if (g_strcmp0(what, "press") == 0)
        return press(app);
    return usage_error(app, what ? "'bench' takes add, list, fault, press, remove or serve"
                                 : "choose add, list, fault, press, remove or serve");
}

static int run(struct app *app, void *values)
{
    const struct bench_options *options = values;

    if (options->revision < 0 || options->revision > 255)
        return usage_error(app, "--revision is a number from 0 to 255");
    if (options->port < 0 || options->port > UINT16_MAX)
        return usage_error(app, "--port is a number from 1 to 65535");
    return dispatch(app, options);
}

#define AT(member) offsetof(struct bench_options, member)

static const struct option own[] = {
    OPTION(TEXT, "chip", chip, "CHIP",
           "add: sanderling-s1, turnstone-t2, dunlin-d3, or that of --chip-file"),
    OPTION(TEXT, "flash", flash, "SIZE", "add: size of the flash"),
    OPTION(FILE, "content", content, "FILE", "add: initial content of the flash; default: blank"),
    OPTION(TEXT, "wired", wired, "NAME",
           "add: how its reset and strap are wired; default rts-reset"),
    OPTION(TEXT, "host", host, "ADDRESS", "serve: address to listen on; default 127.0.0.1"),
    OPTION(NUMBER, "port", port, "N",
           "serve: TCP port of the first board; default: any free ports"),
    OPTION(FLAG, "pty", pty, NULL, "serve: also as pseudo-terminals"),
    OPTION(NUMBER, "revision", revision, "N", "add: revision of the chip"),
    {.name = NULL},
};

const struct verb verb_bench = {
    .name = "bench",
    .summary = "add, list, break and serve simulated boards",
    .usage = "add NAME --chip CHIP --flash SIZE | list | fault NAME FAULT… |\n"
             "       press NAME BUTTON… | remove NAME | serve [NAME…]",
    .examples = {"wrytograph bench add gauge-1 --chip turnstone-t2 --flash 4MiB",
                 "wrytograph bench fault gauge-1 noise=1e-5"},
    .usual = {"chip", "flash", "content", "wired", "bench"},
    .description = "Simulated boards: each is a folder with board.yaml and flash.bin. Faults:\n"
                   "  none            remove all faults\n"
                   "  strap-released  the boot strap is not connected to the chip\n"
                   "  unpowered       the board has no power\n"
                   "  no-ground       adapter and board share no ground\n"
                   "  swapped         TX is wired to TX, RX to RX\n"
                   "  echo            the adapter's TX is connected to its RX\n"
                   "  brown-out       the supply fails under load\n"
                   "  loader=BAUD     the loader listens at this speed first, not at 115200\n"
                   "  console=BAUD    the firmware prints at this speed\n"
                   "  line-end=END    the firmware expects lines that end in lf, cr or crlf\n"
                   "  tx-open         the wire from the adapter's TX is open\n"
                   "  rx-open         the wire to the adapter's RX is open\n"
                   "  strap-stuck     the boot strap is always held\n"
                   "  console-echo    the firmware echoes what it receives\n"
                   "  noise=RATE      bit errors per bit, up to 0.1\n"
                   "  cable=BAUD      the cable garbles bytes above this speed\n"
                   "  to-board=BAUD   only the wire to the board does; from-board=BAUD: from it\n"
                   "  off-speed=PERCENT  the board's speeds are off by this, up to 10\n"
                   "  late-rts=TIME   the adapter sets RTS this much later than DTR\n"
                   "  protect=BITS    block-protect bits of the flash, such as 0x14\n"
                   "  claims=SIZE     the flash claims this size\n"
                   "  erases=SIZE     the smallest erase unit of the flash, such as 256KiB\n"
                   "  busy=TIME       the flash is busy for this long after power-up\n"
                   "  power-cut=N     the power fails during the N-th flash operation of a run\n"
                   "  cable-cut=N     the cable is pulled after N bytes to the board\n"
                   "  unplugged=N     the adapter is unplugged then, and plugged in 3 s later\n"
                   "  no-sounder      no echo sounder is connected to the board\n"
                   "  old-sounder     it knows checksums only\n"
                   "  sounder-refuses it accepts no image\n"
                   "  sounder-dies=N  it fails for good after N bytes of an image",
    .options = APP_BENCH,
    .own = own,
    .size = sizeof(struct bench_options),
    .defaults = &(const struct bench_options){.revision = 1},
    .run = run,
};
