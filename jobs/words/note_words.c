/* Notes in words. */
#include "template.h"
#include "wrytograph-host/units.h"
#include "wrytograph-host/words.h"

enum {
    PLACES_MAX = 6, /* most places listed in one sentence */
};

static unsigned count_of(const struct wry_place *places)
{
    unsigned n = 0;

    while (places && places[n].length > 0)
        n++;
    return n;
}

/* "0x010000 to 0x010FFF, 0x040000 to 0x04FFFF". */
static char *name_stretches(const struct wry_place *places)
{
    unsigned n = count_of(places);

    if (n == 0)
        return NULL;
    GString *text = g_string_new(NULL);
    for (unsigned i = 0; i < MIN(n, PLACES_MAX); i++)
        g_string_append_printf(text, "%s0x%06X to 0x%06X", i > 0 ? ", " : "",
                               (unsigned)places[i].offset,
                               (unsigned)(places[i].offset + places[i].length - 1));
    if (n > PLACES_MAX)
        g_string_append_printf(text, " and %u more", n - PLACES_MAX);
    return g_string_free(text, FALSE);
}

/* The number of places from here on that are adjacent. */
static unsigned count_adjacent(const struct wry_place *places)
{
    unsigned n = 1;

    while (places[n].length > 0 && places[n].offset == places[n - 1].offset + places[n - 1].length)
        n++;
    return n;
}

/* "0x010000, 0x040000 to 0x0FF000": start offsets, with rows of them as first and last. */
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

static char *text_of(const struct wry_event *event)
{
    return g_strdup(event->text && event->text[0] ? event->text : NULL);
}

static char *begun(const struct wry_event *event)
{
    g_autofree char *text = text_of(event);

    return text ? g_strconcat(", begun ", text, NULL) : g_strdup("");
}

static char *number(unsigned n)
{
    return g_strdup_printf("%u", n);
}

static char *speed(const struct wry_event *event)
{
    return number(event->speed);
}

static char *other_speed(const struct wry_event *event)
{
    return number(event->other_speed);
}

static char *waiting(const struct wry_event *event)
{
    return g_strdup_printf("%zu run%s", event->n, event->n == 1 ? " waits" : "s wait");
}

static char *address(const struct wry_event *event)
{
    return wry_units_address(event->address);
}

static char *own_address(const struct wry_event *event)
{
    return wry_units_address(event->own_address);
}

static char *stretches(const struct wry_event *event)
{
    return name_stretches(event->places);
}

static char *other_stretches(const struct wry_event *event)
{
    return name_stretches(event->others);
}

static char *unfinished(const struct wry_event *event)
{
    g_autofree char *others = name_stretches(event->others);

    return others ? g_strdup_printf("\n  Not known to be complete: %s.", others) : g_strdup("");
}

static char *sectors(const struct wry_event *event)
{
    g_autofree char *starts = name_starts(event->places);

    return g_strdup_printf("sector%s %s", count_of(event->places) == 1 ? "" : "s", starts);
}

static char *starts(const struct wry_event *event)
{
    return name_starts(event->places);
}

static const struct {
    const char *name;
    char *(*make)(const struct wry_event *event);
} facts[] = {
    {"text", text_of},
    {"begun", begun},
    {"speed", speed},
    {"other_speed", other_speed},
    {"waiting", waiting},
    {"address", address},
    {"own_address", own_address},
    {"stretches", stretches},
    {"other_stretches", other_stretches},
    {"unfinished", unfinished},
    {"sectors", sectors},
    {"starts", starts},
};

static char *fact(const void *event, const char *name)
{
    for (size_t i = 0; i < G_N_ELEMENTS(facts); i++) {
        if (g_str_equal(facts[i].name, name))
            return facts[i].make(event);
    }
    return NULL;
}

#define INTERRUPTED                                                                                \
    "Note: a job on this board was cut{begun}, and this computer has not seen it mended."
#define CUT_BEFORE "A job on this board was cut before"

static const struct template_row rows[] = {
    {WRY_NOTE_ONLY_ADAPTER, NULL, "Using {text}, the only adapter.", NULL},
    {WRY_NOTE_BY_HAND, NULL,
     "1. Hold the boot button, or put the strap to ground.\n"
     "2. Tap reset, or plug the power in.\n"
     "3. Let the boot button go.",
     NULL},
    {WRY_NOTE_BY_HAND_RUNS, NULL,
     "Heard: the board runs its program. Hold the boot button longer, until after reset is let go.",
     NULL},
    {WRY_NOTE_BY_HAND_LOADING, NULL, "Heard: loading mode is reached. Let the boot button go.",
     NULL},
    {WRY_NOTE_BY_HAND_ANSWERED, NULL, "The board answers.", NULL},
    {WRY_NOTE_FLASH_BUSY, NULL,
     "The board answers; its flash is still at work on what was begun before its last reset. An "
     "erase of all takes minutes: waiting for it.",
     NULL},
    {WRY_NOTE_SLOWER, NULL, "The link did not hold a faster speed; going on at {speed} baud.",
     NULL},
    {WRY_NOTE_SPEED_KNOWN, NULL,
     "Going on at {speed} baud: a faster speed did not hold on this adapter today. --speed tries "
     "one.",
     NULL},
    {WRY_NOTE_UNSETTLED, "stretches",
     INTERRUPTED
     "\n  What stood beside the images in {stretches} is only in the journal of this computer;\n"
     "  the next write, erase, restore or backup of this board from here puts it back.{unfinished}",
     NULL},
    {WRY_NOTE_UNSETTLED, NULL, INTERRUPTED "{unfinished}", NULL},
    {WRY_NOTE_JOURNAL_UNOPENED, NULL,
     "Note: the journal of this computer cannot be read, so whether a job on this board was cut is "
     "not known.\n  {text}",
     NULL},
    {WRY_NOTE_JOURNAL_UNREAD, NULL, "Note: the journal of this computer cannot be read: {text}.",
     NULL},
    {WRY_NOTE_PUT_BACK, NULL,
     CUT_BEFORE ". What it shared a sector with was put back first: {sectors}.", NULL},
    {WRY_NOTE_NEWER, NULL,
     CUT_BEFORE ", but the sectors at {starts} were written since by somebody else: they are kept "
                "as they are.",
     NULL},
    {WRY_NOTE_BEYOND, NULL,
     "The journal had content for {starts}, where this flash has no sector: it is not written.",
     NULL},
    {WRY_NOTE_SET_ASIDE, NULL, "  What stood there before the cut is in {text}.", NULL},
    {WRY_NOTE_SET_ASIDE_AT_END, NULL, "  What stood there is in {text}.", NULL},
    {WRY_NOTE_SET_ASIDE_FAILED, NULL,
     "What the journal holds of this board could not be put into files: {text}.", NULL},
    {WRY_NOTE_SHARED_ADDRESS, NULL,
     "Warning: {address} is no address of one board: a job that is cut here cannot be made good by "
     "a later one,\n  and a backup does not tell this board from others.",
     NULL},
    {WRY_NOTE_BLANK_BESIDE, NULL,
     "Note: {stretches} is blank beside content. If a job on this board was cut on another\n"
     "  computer, what stood there is in that computer's journal: go on there first.",
     NULL},
    {WRY_NOTE_NOT_FORGOTTEN, NULL,
     "The journal could not be brought up to date ({text}): the next job on this board writes some "
     "sectors once more.",
     NULL},
    {WRY_NOTE_KNOWN_UNUSABLE, NULL,
     "Note: the index of known content is not in use, which costs time and nothing else: {text}.",
     NULL},
    {WRY_NOTE_BACKUP_UNNOTED, NULL,
     "Note: this backup could not be put on record, so later commands may not know of it: {text}.",
     NULL},
    {WRY_NOTE_SHELF_UNREAD, NULL, "Note: the shelf cannot be read: {text}.", NULL},
    {WRY_NOTE_OWNER_UNKNOWN, NULL,
     "Note: whether these settings are another board's is not known: {text}.", NULL},
    {WRY_NOTE_LEDGER_FAILED, NULL, "Note: this is not put on record: {text}.", NULL},
    {WRY_NOTE_LEDGER_WAITS, "text",
     "{waiting} on this computer for the ledger's server: {text}. Every run tries again, and so "
     "does 'wrytograph ledger send'.",
     NULL},
    {WRY_NOTE_LEDGER_WAITS, NULL,
     "{waiting} on this computer for the ledger's server: it has not answered yet. Every run tries "
     "again, and so does 'wrytograph ledger send'.",
     NULL},
    {WRY_NOTE_LEDGER_EXPOSED, NULL,
     "Note: the ledger goes to {text} unencrypted: others on the network can read and change it. "
     "Add sslmode=verify-full to its address (docs/ledger.md).",
     NULL},
    {WRY_NOTE_OTHER_BOARD, NULL,
     "Note: the archive comes from board {address}, this is "
     "{own_address}.",
     NULL},
    {WRY_NOTE_STARTED, NULL, "The board has left loading mode.", NULL},
    {WRY_NOTE_READABLE, NULL, "Readable at {speed} baud.", NULL},
    {WRY_NOTE_UNREADABLE, NULL, "Not readable at {other_speed} baud; trying {speed}.", NULL},
    {WRY_NOTE_UNREADABLE_AT_ANY, NULL,
     "Not readable at any of the usual speeds. Check ground and wiring.", NULL},
    {WRY_NOTE_NOT_SEEN, NULL, "Not seen: \"{text}\"; going on.", NULL},
    {WRY_NOTE_LINE_END_TRIED, NULL, "The line was not answered; trying the line ending {text}.",
     NULL},
    {WRY_NOTE_LINE_END_WORKS, NULL,
     "This board takes lines that end in {text}: say --line-end {text}.", NULL},
    {WRY_NOTE_LINE_UNANSWERED, NULL,
     "Nothing was heard since the line was sent. Does this board want another line ending? "
     "(--line-end lf or cr)",
     NULL},
    {WRY_NOTE_IN_LOADING_MODE, NULL,
     "The board is in loading mode: its boot strap is held. Let it go, then reset the board.",
     NULL},
    {WRY_NOTE_RESET_UNWIRED, NULL,
     "The reset of this board is not wired (--wiring): tap its button.", NULL},
    {WRY_NOTE_RESET, NULL, "The board was reset.", NULL},
    {WRY_NOTE_NO_BREAK, NULL, "This link cannot send a break.", NULL},
    {WRY_NOTE_BREAK, NULL, "A break was sent.", NULL},
};

char *wry_note_text(const struct wry_event *event)
{
    const struct template_row *row =
        template_find(rows, G_N_ELEMENTS(rows), (int)event->note, fact, event);

    return row ? template_fill(row->sentence, fact, event) : NULL;
}
