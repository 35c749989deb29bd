/* Problems of cards as sentences. */
#include "base/units.h"
#include "explain.h"

static bool explain_size(struct app *app, const struct wry_problem *p)
{
    g_autofree char *names = g_strjoinv(" or ", p->names);
    g_autofree char *found = units_flash_size((uint32_t)p->found);

    app_fail(app, (enum exit_code)p->outcome, "Nothing was changed.",
             "the card '%s' is for boards with %s of flash, this one has %s", p->subject, names,
             found);
    return true;
}

bool explain_cards(struct app *app, const struct wry_problem *p)
{
    enum exit_code code = (enum exit_code)p->outcome;

    switch (p->kind) {
    case WRY_PROBLEM_CARD_FLASH:
        return explain_size(app, p);
    case WRY_PROBLEM_CARD_REVISION:
        app_fail(app, code, "Nothing was changed.",
                 "the card '%s' is for chip revision %" G_GUINT64_FORMAT
                 " and later, this is revision %" G_GUINT64_FORMAT,
                 p->subject, p->expected, p->found);
        return true;
    case WRY_PROBLEM_CARD_HOLDS:
        app_fail(app, code, "Nothing was changed. Is this a board that the card is for?",
                 "region '%s' should hold %s, and holds %s", p->region.name, p->subject,
                 p->other ? p->other : "no program");
        return true;
    case WRY_PROBLEM_CARD_ADDRESS: {
        g_autofree char *address = units_address(p->address);
        app_fail(app, code,
                 "Nothing was changed. Take one of the two boards away: one of them may have been "
                 "given the other's identity by a restore.",
                 "another board with the address %s is being worked on, and a row of the table is "
                 "for one board",
                 address);
        return true;
    }
    case WRY_PROBLEM_CARD_UNCOUNTED:
        app_fail(app, code,
                 "Nothing was changed. Mend the way to the ledger, or say --again to do without.",
                 "how often this board got the card is not known: %s", p->cause->message);
        return true;
    case WRY_PROBLEM_CARD_ERASES:
        app_fail(
            app, code,
            "Nothing was changed. Take the region out of 'erase', or write all settings from a "
            "file.",
            "the card erases region '%s', and its %s is made of what is there now", p->region.name,
            p->subject);
        return true;
    case WRY_PROBLEM_CARD_ROW:
        app_fail(app, code, "See the table of boards that the card names.", "%s",
                 p->cause->message);
        return true;
    default:
        return false;
    }
}
