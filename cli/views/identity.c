/* What a board is. */
#include "identity.h"

#include "base/units.h"
#include "words.h"

static void print_board(const struct app *app, const struct wry_identity *identity)
{
    const struct wry_hello_reply *board = &identity->board;
    g_autofree char *address = units_address(board->eui48);
    g_autofree char *size = units_flash_size(board->capacity);
    g_autofree char *protected = words_protected(identity);

    app_print(app, "address   %s", address);
    app_print(app, "chip      %s, revision %u", identity->chip ? identity->chip->title : "unknown",
              board->chip_revision);
    app_print(app, "flash     %s, JEDEC ID %02X %02X %02X", size, board->jedec[0], board->jedec[1],
              board->jedec[2]);
    app_print(app, "protected %s", protected);
    app_print(app, "link      %s at %u baud", identity->link, (unsigned)identity->speed);
}

static void print_layout(const struct app *app, const struct wry_layout *layout)
{
    app_print(app, "layout    %s", words_layout(layout));
    for (uint32_t i = 0; i < layout->table.count; i++) {
        const struct wry_region *region = &layout->table.regions[i];
        g_autofree char *length = units_bytes(region->length);
        app_print(app, "          0x%06X to 0x%06X  %-10s %-12s %s", (unsigned)region->offset,
                  (unsigned)(region->offset + region->length - 1), length, region->name,
                  wry_region_kind_name(region->kind));
    }
}

void identity_print(const struct app *app, const struct wry_identity *identity)
{
    print_board(app, identity);
    print_layout(app, &identity->layout);
    if (identity->deep && identity->flash_found >= identity->board.capacity)
        app_print(app, "deep      %s",
                  identity->deep_blank
                      ? "the flash is blank, which proves nothing about its size"
                      : "content does not repeat: the flash is as large as it claims");
}
