/* Values of options. */
#include "values.h"

#include "wrytograph-host/chips.h"
#include "wrytograph-host/units.h"

int values_chip(struct app *app, const char *text, const struct wry_chip **chip)
{
    *chip = wry_chips_by_name(text);
    if (*chip)
        return EXIT_DONE;
    g_autofree char *known = wry_chips_names();
    g_autofree char *next =
        g_strdup_printf("Chips are %s. --chip-file FILE makes another one known.", known);
    return app_fail(app, EXIT_USAGE, next, "there is no chip '%s'", text);
}

int values_flash(struct app *app, const char *text, uint32_t *bytes)
{
    if (wry_units_parse_size(text, bytes))
        return EXIT_DONE;
    return app_fail(app, EXIT_USAGE, "Write it as 4MiB, 4M, 32Mbit or 0x400000.",
                    "'%s' is not a flash size", text);
}

int values_speed(struct app *app, const char *text, const char *such_as, uint32_t *speed)
{
    g_autofree char *next =
        g_strdup_printf("Give a number from 9600 to 12000000, such as %s.", such_as);

    if (!text || wry_units_parse_speed(text, speed))
        return EXIT_DONE;
    return app_fail(app, EXIT_USAGE, next, "'%s' is not a speed in baud", text);
}

int values_time(struct app *app, const char *option, const char *text, uint64_t *time)
{
    if (!text || wry_units_parse_time(text, time))
        return EXIT_DONE;
    return app_fail(app, EXIT_USAGE, "Write times as 90s, 2min or 1h.", "%s: '%s' is not a time",
                    option, text);
}

int values_wiring(struct app *app, const struct wry_wiring **wiring)
{
    const char *name = app->wiring_name ? app->wiring_name : g_getenv("WRYTOGRAPH_WIRING");

    *wiring = name && name[0] ? wry_wiring_by_name(name) : NULL;
    if (*wiring || !name || !name[0])
        return EXIT_DONE;
    g_autoptr(GString) known = g_string_new("Wirings:");
    for (size_t i = 0; wry_wiring_at(i); i++)
        g_string_append_printf(known, "\n  %-20s %s", wry_wiring_at(i)->name,
                               wry_wiring_at(i)->words);
    return app_fail(app, EXIT_USAGE, known->str, "there is no wiring '%s'", name);
}
