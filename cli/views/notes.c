/* Notes of a station. */
#include "notes.h"

#include "base/units.h"
#include "wrytograph-host/station.h"

enum {
    TOLD_MAX = 6, /* places named in one sentence */
};

static unsigned count_of(const struct wry_place *places)
{
    unsigned n = 0;

    while (places && places[n].length > 0)
        n++;
    return n;
}

/* "0x010000 to 0x010FFF, 0x040000 to 0x04FFFF"; free with g_free. */
static char *name_stretches(const struct wry_place *places)
{
    GString *text = g_string_new(NULL);
    unsigned n = count_of(places);

    for (unsigned i = 0; i < MIN(n, TOLD_MAX); i++)
        g_string_append_printf(text, "%s0x%06X to 0x%06X", i > 0 ? ", " : "",
                               (unsigned)places[i].offset,
                               (unsigned)(places[i].offset + places[i].length - 1));
    if (n > TOLD_MAX)
        g_string_append_printf(text, " and %u more", n - TOLD_MAX);
    return g_string_free(text, FALSE);
}

/* How many from here on follow each other without a gap. */
static unsigned count_adjacent(const struct wry_place *places)
{
    unsigned n = 1;

    while (places[n].length > 0 && places[n].offset == places[n - 1].offset + places[n - 1].length)
        n++;
    return n;
}

/* "0x010000, 0x040000 to 0x0FF000": where each begins, many in a row by the first and the last;
 * free with g_free. */
static char *name_starts(const struct wry_place *places)
{
    GString *text = g_string_new(NULL);

    for (unsigned n; places && places->length > 0; places += n) {
        bool row = count_adjacent(places) > 2;
        n = row ? count_adjacent(places) : 1;
        g_string_append_printf(text, "%s0x%06X", text->len > 0 ? ", " : "",
                               (unsigned)places->offset);
        if (row)
            g_string_append_printf(text, " to 0x%06X", (unsigned)places[n - 1].offset);
    }
    return g_string_free(text, FALSE);
}

static void tell_unsettled(const struct app *app, const struct wry_event *event)
{
    g_autofree char *beside = name_stretches(event->places);
    g_autofree char *others = name_stretches(event->others);

    app_note(app,
             "Note: a job on this board was cut%s%s, and this computer has not seen it mended.",
             event->text[0] ? ", begun " : "", event->text);
    if (beside[0])
        app_note(app,
                 "  What stood beside the images in %s is only in the journal of this computer;\n"
                 "  the next write, erase, restore or backup of this board from here puts it back.",
                 beside);
    if (others[0])
        app_note(app, "  Not known to be complete: %s.", others);
}

/* What became of a job that was cut. */
static void tell_settled(const struct app *app, const struct wry_event *event)
{
    g_autofree char *starts = name_starts(event->places);

    switch (event->note) {
    case WRY_NOTE_PUT_BACK:
        app_note(app,
                 "A job on this board was cut before. What it shared a sector with was put back "
                 "first: sector%s %s.",
                 count_of(event->places) == 1 ? "" : "s", starts);
        break;
    case WRY_NOTE_NEWER:
        app_note(app,
                 "A job on this board was cut before, but the sectors at %s were written since by "
                 "somebody else: they are kept as they are.",
                 starts);
        break;
    default:
        app_note(app,
                 "The journal had content for %s, where this flash has no sector: it is not "
                 "written.",
                 starts);
        break;
    }
}

static void tell_board(const struct app *app, const struct wry_event *event)
{
    g_autofree char *address = units_address(event->address);

    if (event->note == WRY_NOTE_SHARED_ADDRESS) {
        app_note(app,
                 "Warning: %s is no address of one board: a job that is cut here cannot be made "
                 "good by a later one,\n  and a backup does not tell this board from others.",
                 address);
        return;
    }
    g_autofree char *ours = units_address(wry_station_board(app->station)->eui48);
    app_note(app, "Note: the archive comes from board %s, this is %s.", address, ours);
}

static void tell_beside(const struct app *app, const struct wry_event *event)
{
    g_autofree char *stretches = name_stretches(event->places);

    app_note(app,
             "Note: %s is blank beside content. If a job on this board was cut on another\n"
             "  computer, what stood there is in that computer's journal: go on there first.",
             stretches);
}

void notes_tell(const struct app *app, const struct wry_event *event)
{
    switch (event->note) {
    case WRY_NOTE_ONLY_ADAPTER:
        app_note(app, "Using %s, the only adapter.", event->text);
        break;
    case WRY_NOTE_BY_HAND:
        app_note(app, "1. Hold the boot button, or put the strap to ground.\n"
                      "2. Tap reset, or plug the power in.\n"
                      "3. Let the boot button go.");
        break;
    case WRY_NOTE_BY_HAND_RUNS:
        app_note(app, "Heard: the board runs its program. Hold the boot button longer, until after "
                      "reset is let go.");
        break;
    case WRY_NOTE_BY_HAND_LOADING:
        app_note(app, "Heard: loading mode is reached. Let the boot button go.");
        break;
    case WRY_NOTE_BY_HAND_ANSWERED:
        app_note(app, "The board answers.");
        break;
    case WRY_NOTE_FLASH_BUSY:
        app_note(app, "The board answers; its flash is still at work on what was begun before its "
                      "last reset. An erase of all takes minutes: waiting for it.");
        break;
    case WRY_NOTE_SLOWER:
        app_note(app, "The link did not hold a faster speed; going on at %u baud.",
                 (unsigned)event->speed);
        break;
    case WRY_NOTE_SPEED_KNOWN:
        app_note(app,
                 "Going on at %u baud: a faster speed did not hold on this adapter today. --speed "
                 "tries one.",
                 (unsigned)event->speed);
        break;
    case WRY_NOTE_UNSETTLED:
        tell_unsettled(app, event);
        break;
    case WRY_NOTE_JOURNAL_UNOPENED:
        app_note(app,
                 "Note: the journal of this computer cannot be read, so whether a job on this "
                 "board was cut is not known.\n  %s",
                 event->text);
        break;
    case WRY_NOTE_JOURNAL_UNREAD:
        app_note(app, "Note: the journal of this computer cannot be read: %s.", event->text);
        break;
    case WRY_NOTE_PUT_BACK:
    case WRY_NOTE_NEWER:
    case WRY_NOTE_BEYOND:
        tell_settled(app, event);
        break;
    case WRY_NOTE_SET_ASIDE:
        app_note(app, "  What stood there before the cut is in %s.", event->text);
        break;
    case WRY_NOTE_SET_ASIDE_AT_END:
        app_note(app, "  What stood there is in %s.", event->text);
        break;
    case WRY_NOTE_SET_ASIDE_FAILED:
        app_note(app, "What the journal holds of this board could not be put into files: %s.",
                 event->text);
        break;
    case WRY_NOTE_LEDGER_FAILED:
        app_note(app, "Note: this is not put on record: %s.", event->text);
        break;
    case WRY_NOTE_LEDGER_WAITS:
        app_note(app,
                 "%zu run%s on this computer for the ledger's server: %s. Every run tries again, "
                 "and so does 'wrytograph ledger send'.",
                 event->n, event->n == 1 ? " waits" : "s wait",
                 event->text ? event->text : "it has not answered yet");
        break;
    case WRY_NOTE_LEDGER_EXPOSED:
        app_note(app,
                 "Note: the ledger goes to %s unencrypted: others on the network can read and "
                 "change it. Add sslmode=verify-full to its address (docs/ledger.md).",
                 event->text);
        break;
    case WRY_NOTE_SHARED_ADDRESS:
    case WRY_NOTE_OTHER_BOARD:
        tell_board(app, event);
        break;
    case WRY_NOTE_BLANK_BESIDE:
        tell_beside(app, event);
        break;
    case WRY_NOTE_NOT_FORGOTTEN:
        app_note(app,
                 "The journal could not be brought up to date (%s): the next job on this board "
                 "writes some sectors once more.",
                 event->text);
        break;
    case WRY_NOTE_KNOWN_UNUSABLE:
        app_note(app,
                 "Note: the index of known content is not in use, which costs time and nothing "
                 "else: %s.",
                 event->text);
        break;
    case WRY_NOTE_BACKUP_UNNOTED:
        app_note(app,
                 "Note: this backup could not be put on record, so later commands may not know of "
                 "it: %s.",
                 event->text);
        break;
    case WRY_NOTE_SHELF_UNREAD:
        app_note(app, "Note: the shelf cannot be read: %s.", event->text);
        break;
    case WRY_NOTE_OWNER_UNKNOWN:
        app_note(app, "Note: whether these settings are another board's is not known: %s.",
                 event->text);
        break;
    case WRY_NOTE_STARTED:
        app_note(app, "The board has left loading mode.");
        break;
    case WRY_NOTE_READABLE:
        app_note(app, "Readable at %u baud.", (unsigned)event->speed);
        break;
    case WRY_NOTE_UNREADABLE:
        app_note(app, "Not readable at %u baud; trying %u.", (unsigned)event->other_speed,
                 (unsigned)event->speed);
        break;
    case WRY_NOTE_UNREADABLE_AT_ANY:
        app_note(app, "Not readable at any of the usual speeds. Check ground and wiring.");
        break;
    case WRY_NOTE_NOT_SEEN:
        app_note(app, "Not seen: \"%s\"; going on.", event->text);
        break;
    case WRY_NOTE_LINE_END_TRIED:
        app_note(app, "The line was not answered; trying the line ending %s.", event->text);
        break;
    case WRY_NOTE_LINE_END_WORKS:
        app_note(app, "This board takes lines that end in %s: say --line-end %s.", event->text,
                 event->text);
        break;
    case WRY_NOTE_LINE_UNANSWERED:
        app_note(app, "Nothing was heard since the line was sent. Does this board want another "
                      "line ending? (--line-end lf or cr)");
        break;
    case WRY_NOTE_IN_LOADING_MODE:
        app_note(app, "The board is in loading mode: its boot strap is held. Let it go, then reset "
                      "the board.");
        break;
    case WRY_NOTE_RESET_UNWIRED:
        app_note(app, "The reset of this board is not wired (--wiring): tap its button.");
        break;
    case WRY_NOTE_RESET:
        app_note(app, "The board was reset.");
        break;
    case WRY_NOTE_NO_BREAK:
        app_note(app, "This link cannot send a break.");
        break;
    case WRY_NOTE_BREAK:
        app_note(app, "A break was sent.");
        break;
    case WRY_NOTE_SEEN:      /* the outcome tells it */
    case WRY_NOTE_LISTENING: /* the terminal tells it */
        break;
    }
}
