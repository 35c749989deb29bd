/* shelf: images that this computer keeps, and which of them fit a board. */
#include "wrytograph-host/shelf.h"
#include "shelf_choose.h"
#include "station_options.h"
#include "values.h"
#include "verbs.h"
#include "views/explain.h"
#include "views/shelf_table.h"
#include "wrytograph/layout.h"

struct shelf_options {
    char *chip, *flash;
};

static int usage_error(struct app *app, const char *what)
{
    return app_fail(app, EXIT_USAGE, "See 'wrytograph shelf --help'.", "%s", what);
}

static int add(struct app *app)
{
    struct shelf_tally tally = {.app = app};
    GError *error = NULL;
    int code = EXIT_DONE;

    if (!app->rest[1])
        return usage_error(app, "'shelf add' takes files, folders and ZIPs");
    shelf_table_begin(app);
    for (char **path = app->rest + 1; *path && code == EXIT_DONE; path++) {
        if (!wry_shelf_add(NULL, *path, shelf_table_tell, &tally, &error))
            code = explain_error(app, error);
    }
    shelf_table_end(app);
    if (code != EXIT_DONE)
        return code;
    if (tally.added + tally.had == 0)
        return app_fail(
            app, EXIT_BAD_INPUT,
            "Images begin with a boot header; 'wrytograph inspect' shows what a file is.",
            "none of these files is an image for the shelf");
    app_outcome(app, true, "Added to the shelf: %u; already there: %u%s.", tally.added, tally.had,
                tally.refused > 0 ? "; the others are not images for the shelf" : "");
    return EXIT_DONE;
}

/* The flash to judge by: a described one, or that of the board on the link. */
static int choose_board(struct app *app, const struct shelf_options *options,
                        struct shelf_board *board)
{
    struct wry_identity identity = {0};

    if ((options->chip != NULL) != (options->flash != NULL))
        return app_fail(app, EXIT_USAGE, "Give both.", "--chip and --flash belong together");
    if (options->chip) {
        int code = values_chip(app, options->chip, &board->chip);
        if (code == EXIT_DONE)
            code = values_flash(app, options->flash, &board->flash_size);
        if (code == EXIT_DONE && (board->flash_size < board->chip->flash_min ||
                                  board->flash_size > board->chip->flash_max))
            return app_fail(app, EXIT_USAGE, "Write it as 4MiB, 4M, 32Mbit or 0x400000.",
                            "'%s' is not a flash size of a %s", options->flash, board->chip->title);
        board->known = code == EXIT_DONE &&
                       wry_layout_built_in(&board->layout, board->chip, board->flash_size);
        return code;
    }
    if (!app->link)
        return EXIT_DONE;
    int code = station_make(app);
    if (code != EXIT_DONE)
        return code;
    enum wry_outcome outcome = wry_station_identify(app->station, false, &identity);
    board->known = identity.known;
    board->chip = identity.chip;
    board->flash_size = identity.board.capacity;
    board->layout = identity.layout.table;
    wry_identity_clear(&identity);
    return station_conclude(app, outcome);
}

static int list(struct app *app, const struct shelf_options *options)
{
    struct shelf_board board = {0};
    GError *error = NULL;

    if (app->rest[1])
        return usage_error(app, "'shelf list' takes no names");
    int code = choose_board(app, options, &board);
    if (code != EXIT_DONE)
        return code;
    g_autoptr(GPtrArray) items = wry_shelf_items(NULL, &error);
    if (!items)
        return explain_error(app, error);
    shelf_table_print(app, items, &board);
    return EXIT_DONE;
}

static int change(struct app *app, gboolean (*how)(const char *, const char *, GError **),
                  const char *done)
{
    GError *error = NULL;
    const char *name = app->rest[1];

    if (!name)
        return usage_error(app, "give the image's name, such as 'tide-gauge 2.3.1'");
    /* Name and version may be one argument or two. */
    g_autofree char *joined = g_strjoinv(" ", app->rest + 1);
    if (!how(NULL, joined, &error))
        return explain_error(app, error);
    app_print(app, "%s %s.", joined, done);
    return EXIT_DONE;
}

/* The last argument is the file. */
static int describe(struct app *app)
{
    guint count = g_strv_length(app->rest);
    GError *error = NULL;

    if (count < 3)
        return usage_error(app,
                           "'shelf describe' takes an image's name and a settings description");
    g_autofree char *file = app->rest[count - 1];
    app->rest[count - 1] = NULL;
    g_autofree char *name = g_strjoinv(" ", app->rest + 1);
    if (!wry_shelf_describe(NULL, name, file, &error))
        return explain_error(app, error);
    app_outcome(app, true, "The settings of %s are described by a copy of %s.", name, file);
    return EXIT_DONE;
}

static int run(struct app *app, void *values)
{
    const struct shelf_options *options = values;
    const char *what = app->rest[0];

    if (g_strcmp0(what, "add") == 0)
        return add(app);
    if (g_strcmp0(what, "list") == 0)
        return list(app, options);
    if (g_strcmp0(what, "prefer") == 0)
        return change(app, wry_shelf_prefer, "is used if several with its name fit");
    if (g_strcmp0(what, "remove") == 0)
        return change(app, wry_shelf_remove, "is removed from the shelf");
    if (g_strcmp0(what, "describe") == 0)
        return describe(app);
    if (g_strcmp0(what, "choose") == 0 && !app->rest[1])
        return shelf_choose(app);
    return usage_error(app, what ? "'shelf' takes add, list, choose, prefer, describe or remove"
                                 : "choose add, list, choose, prefer, describe or remove");
}

#define AT(member) offsetof(struct shelf_options, member)

static const struct option own[] = {
    OPTION(TEXT, "chip", chip, "CHIP", "list: show what fits this chip, without a board"),
    OPTION(TEXT, "flash", flash, "SIZE", "list: and this size of flash"),
    {.name = NULL},
};

const struct verb verb_shelf = {
    .name = "shelf",
    .summary = "store images, and show which fit a board",
    .usage = "add FILE|FOLDER|ZIP… | list | choose | prefer NAME [VERSION] | describe NAME "
             "[VERSION] FILE.yaml | "
             "remove NAME [VERSION]",
    .examples = {"wrytograph shelf add release/", "wrytograph shelf list --link bench:gauge-1"},
    .usual = {"link", "chip", "flash"},
    .description =
        "Stores images by their SHA-256, with the facts of their boot headers. 'list' shows\n"
        "which fit the board on --link, or --chip and --flash. 'write app=shelf:NAME' uses\n"
        "the one that fits; if several do, the preferred one, or none. 'choose' lists those\n"
        "that fit with the board's current content, and writes the one you pick. The shelf\n"
        "is in WRYTOGRAPH_SHELF, else in the user's data folder.",
    .options = APP_LINK | APP_LEDGER,
    .leaves_running = true,
    .own = own,
    .size = sizeof(struct shelf_options),
    .run = run,
};
