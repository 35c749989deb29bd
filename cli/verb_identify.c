/* identify: which board is on the link. */
#include <string.h>

#include "link.h"
#include "regions.h"
#include "store/units.h"

static void print_protection(struct app *app)
{
    const struct wry_hello_reply *board = wry_session_board(&app->session);
    uint32_t offset;
    uint32_t length = wry_protected_range(board->protect, board->capacity, &offset);
    g_autofree char *text =
        length == 0
            ? g_strdup("nothing")
            : g_strdup_printf("0x%06X to 0x%06X (block-protect bits 0x%02X)", (unsigned)offset,
                              (unsigned)(offset + length - 1), board->protect);

    app_print(app, "protected %s", text);
    app_json_text(app, "protected", text);
    app_json_number(app, "block_protect_bits", board->protect);
}

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
    app_json_text(app, "address", address);
    app_json_text(app, "chip", chip ? chip->name : "unknown");
    app_json_number(app, "chip_code", board->chip_code);
    app_json_number(app, "chip_revision", board->chip_revision);
    app_json_number(app, "flash_bytes", board->capacity);
    app_json_text(app, "jedec_id", jedec);
    print_protection(app);
    app_print(app, "link      %s at %u baud", app->link, (unsigned)app->session.speed);
    app_json_text(app, "link", app->link);
    app_json_number(app, "speed_baud", app->session.speed);
}

static void print_layout(struct app *app)
{
    app_print(app, "layout    %s", app->layout.count > 0 ? app->layout_source : "none known");
    for (uint32_t i = 0; i < app->layout.count; i++) {
        const struct wry_region *region = &app->layout.regions[i];
        g_autofree char *length = units_bytes(region->length);
        app_print(app, "          0x%06X to 0x%06X  %-10s %-12s %s", (unsigned)region->offset,
                  (unsigned)(region->offset + region->length - 1), length, region->name,
                  wry_region_kind_name(region->kind));
    }
    regions_add_json(app);
}

/*
 * A die that is smaller than it claims answers addresses beyond its end with content from its
 * start: halves that are the same, and not blank, give it away.
 */
static enum wry_status find_repeat(struct app *app, uint32_t *real_size, bool *all_blank)
{
    struct wry_session *session = &app->session;
    uint32_t size = session->board.capacity;
    uint8_t low[WRY_SHA256_SIZE], high[WRY_SHA256_SIZE], blank[WRY_SHA256_SIZE];
    enum wry_status status = WRY_OK;

    *real_size = size;
    *all_blank = false;
    for (uint32_t half = size / 2; half >= 0x10000; half /= 2) {
        status = wry_session_digest(session, 0, half, low);
        if (status == WRY_OK)
            status = wry_session_digest(session, half, half, high);
        if (status != WRY_OK || memcmp(low, high, sizeof low) != 0)
            return status;
        struct wry_sha256 sha;
        uint8_t page[WRY_PAGE_SIZE];
        memset(page, 0xFF, sizeof page);
        wry_sha256_begin(&sha);
        for (uint32_t i = 0; i < half; i += sizeof page)
            wry_sha256_add(&sha, page, sizeof page);
        wry_sha256_end(&sha, blank);
        *all_blank = memcmp(low, blank, sizeof low) == 0;
        if (*all_blank)
            return WRY_OK;
        *real_size = half;
    }
    return status;
}

static int look_deep(struct app *app)
{
    uint32_t real_size;
    bool all_blank;
    enum wry_status status = find_repeat(app, &real_size, &all_blank);

    if (status != WRY_OK)
        return app_fail_session(app, status);
    app_json_number(app, "flash_bytes_found", real_size);
    if (real_size < app->session.board.capacity) {
        g_autofree char *claimed = units_flash_size(app->session.board.capacity);
        g_autofree char *found = units_flash_size(real_size);
        return app_fail(app, EXIT_WRONG,
                        "Do not write to it as the larger one: content would overwrite itself.",
                        "the flash claims %s, but its content repeats every %s", claimed, found);
    }
    app_print(app, "deep      %s",
              all_blank ? "the flash is blank, which proves nothing about its size"
                        : "content does not repeat: the flash is as large as it claims");
    return EXIT_DONE;
}

static int run(struct app *app, bool deep)
{
    int code = link_connect(app);

    if (code != EXIT_DONE)
        return code;
    struct target target = regions_target(app);
    code = regions_load(app, &target);
    if (code != EXIT_DONE)
        return code;
    print_board(app);
    print_layout(app);
    return deep ? look_deep(app) : EXIT_DONE;
}

int verb_identify(struct app *app, int argc, char **argv)
{
    gboolean deep = FALSE;
    GOptionEntry entries[] = {{"deep", 0, 0, G_OPTION_ARG_NONE, &deep,
                               "Also find out whether the flash is as large as it claims", NULL},
                              G_OPTION_ENTRY_NULL};

    if (!app_parse(app, argc, argv, APP_LINK | APP_LAYOUT, entries, "",
                   "Gets the board into loading mode and says what it is. With --expect-chip or\n"
                   "--expect-flash, a board that differs is an error (exit code 5)."))
        return app->code;
    if (app->rest[0])
        return app_fail(app, EXIT_USAGE, "See 'wrytograph identify --help'.",
                        "'%s' was not expected", app->rest[0]);
    return run(app, deep);
}
