/* From a link address to a board that answers. */
#include "link.h"

#include <string.h>

#include "bar.h"
#include "store/units.h"

static const char examples[] = "Use --link bench:NAME, or set WRYTOGRAPH_LINK.";

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

static int open_link(struct app *app)
{
    if (!app->link)
        app->link = g_strdup(g_getenv("WRYTOGRAPH_LINK"));
    if (!app->link || app->link[0] == '\0')
        return app_fail(app, EXIT_USAGE, examples, "no link given");
    if (g_str_has_prefix(app->link, "bench:"))
        return open_bench(app, app->link + strlen("bench:"));
    return app_fail(app, EXIT_USAGE, examples, "'%s' is not a link this version can open",
                    app->link);
}

/* Simulated boards keep their journal beside their flash. */
static int open_journal(struct app *app)
{
    g_autofree char *fallback = bench_default_folder();
    const char *bench = app->bench_folder ? app->bench_folder : fallback;
    g_autofree char *folder = app->bench
                                  ? g_build_filename(bench, app->link + strlen("bench:"), NULL)
                                  : journal_default_folder();
    GError *error = NULL;

    app->journal = journal_open(folder, &error);
    if (app->journal)
        return EXIT_DONE;
    g_autofree char *message = g_strdup(error->message);
    g_error_free(error);
    return app_fail(app, EXIT_BAD_INPUT,
                    "It holds what an erase puts at risk. Set WRYTOGRAPH_STATE to a folder that "
                    "you may write.",
                    "the journal cannot be opened: %s", message);
}

int link_settle(struct app *app)
{
    uint32_t sectors = 0;
    enum wry_status status = wry_session_settle(&app->session, &sectors);

    if (sectors > 0)
        app_note(app,
                 "A job on this board was cut before. %u sector%s that it shared with other "
                 "content %s put back first.",
                 (unsigned)sectors, sectors == 1 ? "" : "s", sectors == 1 ? "was" : "were");
    return status == WRY_OK ? EXIT_DONE : app_fail_session(app, status);
}

static bool on_progress(void *context, const struct wry_session_progress *progress)
{
    struct app *app = context;

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
static int check_options(struct app *app, uint32_t *speed)
{
    uint32_t size;

    *speed = 0;
    if (app->speed && !units_parse_speed(app->speed, speed))
        return app_fail(app, EXIT_USAGE, "Give a number from 9600 to 12000000, such as 921600.",
                        "'%s' is no speed in baud", app->speed);
    if (app->expect_chip && !wry_chip_by_name(app->expect_chip))
        return app_fail(app, EXIT_USAGE, "Known are sanderling-s1, turnstone-t2 and dunlin-d3.",
                        "there is no chip '%s'", app->expect_chip);
    if (app->expect_flash && !units_parse_size(app->expect_flash, &size))
        return app_fail(app, EXIT_USAGE, "Write it as 4MiB, 4M, 32Mbit or 0x400000.",
                        "'%s' is no flash size", app->expect_flash);
    return EXIT_DONE;
}

int link_connect(struct app *app)
{
    uint32_t speed;
    int code = check_options(app, &speed);

    if (code == EXIT_DONE)
        code = open_link(app);
    if (code != EXIT_DONE)
        return code;
    code = open_journal(app);
    if (code != EXIT_DONE)
        return code;
    struct wry_session_config config = {.token = g_random_int(),
                                        .max_speed = speed,
                                        .every_sector = app->every_sector,
                                        .keeper = journal_keeper(app->journal),
                                        .context = app,
                                        .progress = on_progress};
    app_interrupted();
    app->started = app->port->now(app->port->context);
    wry_session_init(&app->session, app->port, &config);
    enum wry_status status = wry_session_connect(&app->session);
    if (status != WRY_OK)
        return app_fail_session(app, status);
    journal_set_board(app->journal, app->session.board.eui48);
    if (app->session.stats.speed_steps_down > 0)
        app_note(app, "The link did not hold a faster speed; going on at %u baud.",
                 (unsigned)app->session.speed);
    code = check_chip(app);
    return code == EXIT_DONE ? check_flash(app) : code;
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

void link_close(struct app *app)
{
    journal_close(app->journal);
    app->journal = NULL;
    bench_close(app->bench);
    app->bench = NULL;
    app->port = NULL;
}
