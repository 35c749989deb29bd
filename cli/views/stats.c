/* Savings of a job. */
#include "stats.h"

#include "wrytograph-host/units.h"

void stats_tell(const struct app *app, const struct wry_done *done)
{
    g_autofree char *name = app_printable(done->known_name);
    g_autofree char *known = wry_units_bytes(done->bytes_known);
    g_autofree char *sent = wry_units_bytes(done->content_sent);

    if (done->bytes_known > 0)
        app_note(app, "%s of it was known from %s and not read again.", known, name);
    if (done->differences > 0 && done->guesses_wrong == 0)
        app_note(app, "%s of content went over the line: part of it as the difference to %s.", sent,
                 name);
    if (done->guesses_wrong > 0)
        app_note(app,
                 "The board's content was not quite as expected from %s: that part was repeated "
                 "without it, which took longer.",
                 name[0] ? name : "this computer");
}
