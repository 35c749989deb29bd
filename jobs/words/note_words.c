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

    return text ? g_strconcat(", begun ", text, ",", NULL) : g_strdup("");
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
    "Note: a job on this board{begun} was interrupted. Run it again from this computer"
#define CUT_BEFORE "An earlier job on this board was interrupted"

static const struct template_row rows[] = {
    {WRY_NOTE_ONLY_ADAPTER, NULL, "Using {text}, the only adapter.", NULL},
    {WRY_NOTE_BY_HAND, NULL,
     "1. Hold the boot button, or put the strap to ground.\n"
     "2. Tap reset, or switch the power on.\n"
     "3. Release the boot button.",
     NULL},
    {WRY_NOTE_BY_HAND_RUNS, NULL,
     "Heard: the board runs its program. Hold the boot button longer, until after reset is "
     "released.",
     NULL},
    {WRY_NOTE_BY_HAND_LOADING, NULL, "Heard: loading mode is reached. Release the boot button.",
     NULL},
    {WRY_NOTE_BY_HAND_ANSWERED, NULL, "The board answers.", NULL},
    {WRY_NOTE_FLASH_BUSY, NULL,
     "The board answers, but its flash is still busy with an operation from before the reset. A "
     "chip erase takes minutes; waiting.",
     NULL},
    {WRY_NOTE_SLOWER, NULL, "Higher speeds failed on this link; continuing at {speed} baud.", NULL},
    {WRY_NOTE_SPEED_KNOWN, NULL,
     "Using {speed} baud: higher speeds failed on this adapter today. --speed tries one again.",
     NULL},
    {WRY_NOTE_UNSETTLED, "stretches",
     INTERRUPTED ": its journal has\n"
                 "  content of this board ({stretches}) that exists nowhere else.{unfinished}",
     NULL},
    {WRY_NOTE_UNSETTLED, NULL, INTERRUPTED ".{unfinished}", NULL},
    {WRY_NOTE_JOURNAL_UNOPENED, NULL,
     "Note: the journal of this computer cannot be read, so interrupted jobs on this board are not "
     "known.\n"
     "  {text}",
     NULL},
    {WRY_NOTE_JOURNAL_UNREAD, NULL, "Note: the journal of this computer cannot be read: {text}.",
     NULL},
    {WRY_NOTE_PUT_BACK, NULL,
     CUT_BEFORE ". The content that it had put at risk was restored first: {sectors}.", NULL},
    {WRY_NOTE_NEWER, NULL,
     CUT_BEFORE ", but the sectors at {starts} have been written since: they are left alone.",
     NULL},
    {WRY_NOTE_BEYOND, NULL,
     "The journal has content for {starts}, beyond the end of this flash: it is not written.",
     NULL},
    {WRY_NOTE_SET_ASIDE, NULL, "  Their content before the interruption is in {text}.", NULL},
    {WRY_NOTE_SET_ASIDE_AT_END, NULL, "  Their content is in {text}.", NULL},
    {WRY_NOTE_SET_ASIDE_FAILED, NULL,
     "The journal's content of this board could not be saved to files: {text}.", NULL},
    {WRY_NOTE_SHARED_ADDRESS, NULL,
     "Warning: {address} is not a unique address: an interrupted job on this board cannot be "
     "recovered later,\n"
     "  and its backups look like those of other boards.",
     NULL},
    {WRY_NOTE_BLANK_BESIDE, NULL,
     "Note: {stretches} is blank in a sector with content. If a job of another computer on this\n"
     "  board was interrupted, the missing content is in that computer's journal: run the job "
     "again there first.",
     NULL},
    {WRY_NOTE_NOT_FORGOTTEN, NULL,
     "The journal could not be updated ({text}): the next job on this board writes some sectors "
     "again.",
     NULL},
    {WRY_NOTE_KNOWN_UNUSABLE, NULL,
     "Note: the index of known content cannot be used, which only costs time: {text}.", NULL},
    {WRY_NOTE_BACKUP_UNNOTED, NULL,
     "Note: this backup could not be recorded, so later commands may not find it: {text}.", NULL},
    {WRY_NOTE_SHELF_UNREAD, NULL, "Note: the shelf cannot be read: {text}.", NULL},
    {WRY_NOTE_OWNER_UNKNOWN, NULL,
     "Note: the owner of these settings could not be determined: {text}.", NULL},
    {WRY_NOTE_LEDGER_FAILED, NULL, "Note: this job is not recorded: {text}.", NULL},
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
    {WRY_NOTE_NOT_SEEN, NULL, "Not seen: \"{text}\"; continuing.", NULL},
    {WRY_NOTE_LINE_END_TRIED, NULL, "The line was not answered; trying the line ending {text}.",
     NULL},
    {WRY_NOTE_LINE_END_WORKS, NULL,
     "This board expects lines that end in {text}: use --line-end {text}.", NULL},
    {WRY_NOTE_LINE_UNANSWERED, NULL,
     "No answer since the line was sent. Does this board expect another line ending? (--line-end "
     "lf or cr)",
     NULL},
    {WRY_NOTE_IN_LOADING_MODE, NULL,
     "The board is in loading mode: its boot strap is held. Release it, then reset the board.",
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
