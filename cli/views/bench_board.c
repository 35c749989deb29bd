/* A simulated board of the bench. */
#include "bench_board.h"

#include "json.h"
#include "wrytograph-host/units.h"

void bench_board_show(const struct app *app, const char *name, const struct wry_bench_board *board)
{
    g_autofree char *address = wry_units_address(board->eui48);
    g_autofree char *size = wry_units_flash_size(board->flash_size);

    app_print(app, "%-12s %-14s %s  %-17s %s", name, board->chip->title, address, size,
              board->faults[0] ? board->faults : "no faults");
    json_builder_begin_object(app->json);
    json_add_text(app->json, "name", name);
    json_add_text(app->json, "chip", board->chip->name);
    json_add_text(app->json, "address", address);
    json_add_number(app->json, "flash_bytes", board->flash_size);
    json_add_text(app->json, "faults", board->faults);
    json_builder_end_object(app->json);
}
