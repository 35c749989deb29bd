/* A simulated board of the bench. */
#include "bench_board.h"

#include "base/units.h"
#include "bench/fault_text.h"
#include "json.h"

void bench_board_show(const struct app *app, const char *name, const struct bench_description *d)
{
    g_autofree char *address = units_address(d->eui48);
    g_autofree char *size = units_flash_size(d->flash_size);
    g_autofree char *faults = fault_text_describe(&d->faults);

    app_print(app, "%-12s %-14s %s  %-17s %s", name, d->chip->title, address, size,
              faults[0] ? faults : "no faults");
    json_builder_begin_object(app->json);
    json_add_text(app->json, "name", name);
    json_add_text(app->json, "chip", d->chip->name);
    json_add_text(app->json, "address", address);
    json_add_number(app->json, "flash_bytes", d->flash_size);
    json_add_text(app->json, "faults", faults);
    json_builder_end_object(app->json);
}
