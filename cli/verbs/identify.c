/* identify: which board is on the link. */
#include "station_options.h"
#include "verbs.h"
#include "views/identity.h"

int verb_identify(struct app *app, int argc, char **argv)
{
    gboolean deep = FALSE;
    GOptionEntry entries[] = {
        {"deep", 0, 0, G_OPTION_ARG_NONE, &deep,
         "Also find out whether the flash is as large as it claims, and check the digests of "
         "all programs",
         NULL},
        G_OPTION_ENTRY_NULL};
    struct wry_identity identity = {0};

    if (!app_parse(app, argc, argv, entries))
        return app->code;
    int code = station_make(app);
    if (code != EXIT_DONE)
        return code;
    enum wry_outcome outcome = wry_station_identify(app->station, deep, &identity);
    if (identity.known) {
        identity_print(app, &identity);
        identity_add(app, &identity);
    }
    wry_identity_clear(&identity);
    return station_conclude(app, outcome);
}
