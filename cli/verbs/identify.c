/* identify: which board is on the link. */
#include "station_options.h"
#include "verbs.h"
#include "views/identity.h"

struct identify_options {
    gboolean deep;
};

static int run(struct app *app, void *values)
{
    const struct identify_options *options = values;
    struct wry_identity identity = {0};
    int code = station_make(app);

    if (code != EXIT_DONE)
        return code;
    enum wry_outcome outcome = wry_station_identify(app->station, options->deep, &identity);
    if (identity.known)
        identity_show(app, &identity);
    wry_identity_clear(&identity);
    return station_conclude(app, outcome);
}

#define AT(member) offsetof(struct identify_options, member)

static const struct option own[] = {
    OPTION(FLAG, "deep", deep, NULL,
           "Also check that the flash has its claimed size, and the digests of all programs"),
    {.name = NULL},
};

const struct verb verb_identify = {
    .name = "identify",
    .summary = "show which board is on the link: chip, address, flash",
    .usage = "",
    .examples = {"wrytograph identify --link bench:gauge-1",
                 "wrytograph identify --expect-chip turnstone-t2 --expect-flash 32Mbit"},
    .usual = {"link", "expect-chip", "expect-flash", "deep", "by-hand"},
    .description =
        "Puts the board into loading mode and shows chip, flash and content. With\n"
        "--expect-chip or --expect-flash, another board is an error (exit code 5). A module\n"
        "behind the chip is not looked at: only firmware passes bytes on to it, and none\n"
        "runs meanwhile (docs/co-processor.md).",
    .options = APP_LINK | APP_LAYOUT | APP_NO_WORDS,
    .leaves_running = true,
    .own = own,
    .size = sizeof(struct identify_options),
    .run = run,
};
