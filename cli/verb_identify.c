/* identify: which board is on the link. */
#include <string.h>

#include "link.h"
#include "units.h"

static void print_board(struct app *app)
{
    const struct wry_hello_reply *board = wry_session_board(&app->session);
    const struct wry_chip *chip = link_chip(app);
    g_autofree char *address = units_address(board->eui48);
    g_autofree char *size = units_flash_size(board->capacity);
    g_autofree char *jedec =
        g_strdup_printf("%02X %02X %02X", board->jedec[0], board->jedec[1], board->jedec[2]);

    app_print(app, "address   %s", address);
    app_print(app, "chip      %s, revision %u", chip ? chip->title : "unknown",
              board->chip_revision);
    app_print(app, "flash     %s, JEDEC ID %s", size, jedec);
    app_print(app, "protected %s",
              board->protect ? "part of the flash (block-protect bits set)" : "nothing");
    app_print(app, "link      %s at %u baud", app->link, (unsigned)app->session.speed);
    app_json_text(app, "address", address);
    app_json_text(app, "chip", chip ? chip->name : "unknown");
    app_json_number(app, "chip_code", board->chip_code);
    app_json_number(app, "chip_revision", board->chip_revision);
    app_json_number(app, "flash_bytes", board->capacity);
    app_json_text(app, "jedec_id", jedec);
    app_json_number(app, "block_protect_bits", board->protect);
    app_json_text(app, "link", app->link);
    app_json_number(app, "speed_baud", app->session.speed);
}

int verb_identify(struct app *app, int argc, char **argv)
{
    if (!app_parse(app, argc, argv, APP_LINK, NULL, "",
                   "Gets the board into loading mode and says what it is. With --expect-chip or\n"
                   "--expect-flash, a board that differs is an error (exit code 5)."))
        return app->code;
    if (app->rest[0])
        return app_fail(app, EXIT_USAGE, "See 'wrytograph identify --help'.",
                        "'%s' was not expected", app->rest[0]);
    int code = link_connect(app);
    if (code == EXIT_DONE)
        print_board(app);
    return code;
}
