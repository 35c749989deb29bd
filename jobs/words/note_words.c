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

/* A function with the name of the fact that it returns. */
#define FACT(fact, text)                                                                           \
    static char *fact(const struct wry_event *event)                                               \
    {                                                                                              \
        return text;                                                                               \
    }

FACT(text, g_strdup(event->text && event->text[0] ? event->text : NULL))

static char *begun(const struct wry_event *event)
{
    g_autofree char *when = text(event);

    return when ? g_strconcat(", begun ", when, ",", NULL) : g_strdup("");
}

FACT(speed, g_strdup_printf("%u", event->speed))
FACT(other_speed, g_strdup_printf("%u", event->other_speed))
FACT(waiting, g_strdup_printf("%zu run%s", event->n, event->n == 1 ? " waits" : "s wait"))
FACT(address, wry_units_address(event->address))
FACT(own_address, wry_units_address(event->own_address))
FACT(stretches, name_stretches(event->places))
FACT(other_stretches, name_stretches(event->others))

static char *unfinished(const struct wry_event *event)
{
    g_autofree char *others = name_stretches(event->others);

    return others ? g_strdup_printf("\n  Not known to be complete: %s.", others) : g_strdup("");
}

static char *sectors(const struct wry_event *event)
{
    g_autofree char *list = name_starts(event->places);

    return g_strdup_printf("sector%s %s", count_of(event->places) == 1 ? "" : "s", list);
}

FACT(starts, name_starts(event->places))

#define ROW(fact)                                                                                  \
    {                                                                                              \
#fact, fact                                                                                \
    }

static const struct {
    const char *name;
    char *(*make)(const struct wry_event *event);
} facts[] = {
    ROW(text),    ROW(begun),       ROW(speed),     ROW(other_speed),     ROW(waiting),
    ROW(address), ROW(own_address), ROW(stretches), ROW(other_stretches), ROW(unfinished),
    ROW(sectors), ROW(starts),
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

#define NOTE(note, sentence)                                                                       \
    {                                                                                              \
        note, NULL, sentence, NULL                                                                 \
    }

static const struct template_row rows[] = {
    NOTE(WRY_NOTE_ONLY_ADAPTER, "Using {text}, the only adapter."),
    NOTE(WRY_NOTE_BY_HAND, "1. Hold the boot button, or put the strap to ground.\n"
                           "2. Tap reset, or switch the power on.\n"
                           "3. Release the boot button."),
    NOTE(WRY_NOTE_BY_HAND_RUNS,
         "Heard: the board runs its program. Hold the boot button longer, until after reset is "
         "released."),
    NOTE(WRY_NOTE_BY_HAND_LOADING, "Heard: loading mode is reached. Release the boot button."),
    NOTE(WRY_NOTE_BY_HAND_ANSWERED, "The board answers."),
    NOTE(
        WRY_NOTE_FLASH_BUSY,
        "The board answers, but its flash is still busy with an operation from before the reset. A "
        "chip erase takes minutes; waiting."),
    NOTE(WRY_NOTE_SLOWER, "Higher speeds failed on this link; continuing at {speed} baud."),
    NOTE(
        WRY_NOTE_SPEED_KNOWN,
        "Using {speed} baud: higher speeds failed on this adapter today. --speed tries one again."),
    {WRY_NOTE_UNSETTLED, "stretches",
     INTERRUPTED ": its journal has\n"
                 "  content of this board ({stretches}) that exists nowhere else.{unfinished}",
     NULL},
    NOTE(WRY_NOTE_UNSETTLED, INTERRUPTED ".{unfinished}"),
    NOTE(WRY_NOTE_JOURNAL_UNOPENED, "Note: the journal of this computer cannot be read, so "
                                    "interrupted jobs on this board are not "
                                    "known.\n"
                                    "  {text}"),
    NOTE(WRY_NOTE_JOURNAL_UNREAD, "Note: the journal of this computer cannot be read: {text}."),
    NOTE(WRY_NOTE_PUT_BACK,
         CUT_BEFORE ". The content that it had put at risk was restored first: {sectors}."),
    NOTE(WRY_NOTE_NEWER,
         CUT_BEFORE ", but the sectors at {starts} have been written since: they are left alone."),
    NOTE(WRY_NOTE_BEYOND,
         "The journal has content for {starts}, beyond the end of this flash: it is not written."),
    NOTE(WRY_NOTE_SET_ASIDE, "  Their content before the interruption is in {text}."),
    NOTE(WRY_NOTE_SET_ASIDE_AT_END, "  Their content is in {text}."),
    NOTE(WRY_NOTE_SET_ASIDE_FAILED,
         "The journal's content of this board could not be saved to files: {text}."),
    NOTE(WRY_NOTE_SHARED_ADDRESS,
         "Warning: {address} is not a unique address: an interrupted job on this board cannot be "
         "recovered later,\n"
         "  and its backups look like those of other boards."),
    NOTE(WRY_NOTE_BLANK_BESIDE,
         "Note: {stretches} is blank in a sector with content. If a job of another computer on "
         "this\n"
         "  board was interrupted, the missing content is in that computer's journal: run the job "
         "again there first."),
    NOTE(
        WRY_NOTE_NOT_FORGOTTEN,
        "The journal could not be updated ({text}): the next job on this board writes some sectors "
        "again."),
    NOTE(WRY_NOTE_KNOWN_UNUSABLE,
         "Note: the index of known content cannot be used, which only costs time: {text}."),
    NOTE(WRY_NOTE_BACKUP_UNNOTED,
         "Note: this backup could not be recorded, so later commands may not find it: {text}."),
    NOTE(WRY_NOTE_SHELF_UNREAD, "Note: the shelf cannot be read: {text}."),
    NOTE(WRY_NOTE_OWNER_UNKNOWN,
         "Note: the owner of these settings could not be determined: {text}."),
    NOTE(WRY_NOTE_LEDGER_FAILED, "Note: this job is not recorded: {text}."),
    {WRY_NOTE_LEDGER_WAITS, "text",
     "{waiting} on this computer for the ledger's server: {text}. Every run tries again, and so "
     "does 'wrytograph ledger send'.",
     NULL},
    NOTE(WRY_NOTE_LEDGER_WAITS, "{waiting} on this computer for the ledger's server: it has not "
                                "answered yet. Every run tries "
                                "again, and so does 'wrytograph ledger send'."),
    NOTE(WRY_NOTE_LEDGER_EXPOSED, "Note: the ledger goes to {text} unencrypted: others on the "
                                  "network can read and change it. "
                                  "Add sslmode=verify-full to its address (docs/ledger.md)."),
    NOTE(WRY_NOTE_OTHER_BOARD, "Note: the archive comes from board {address}, this is "
                               "{own_address}."),
    NOTE(WRY_NOTE_STARTED, "The board has left loading mode."),
    NOTE(WRY_NOTE_READABLE, "Readable at {speed} baud."),
    NOTE(WRY_NOTE_UNREADABLE, "Not readable at {other_speed} baud; trying {speed}."),
    NOTE(WRY_NOTE_UNREADABLE_AT_ANY,
         "Not readable at any of the usual speeds. Check ground and wiring."),
    NOTE(WRY_NOTE_NOT_SEEN, "Not seen: \"{text}\"; continuing."),
    NOTE(WRY_NOTE_LINE_END_TRIED, "The line was not answered; trying the line ending {text}."),
    NOTE(WRY_NOTE_LINE_END_WORKS,
         "This board expects lines that end in {text}: use --line-end {text}."),
    NOTE(WRY_NOTE_LINE_UNANSWERED, "No answer since the line was sent. Does this board expect "
                                   "another line ending? (--line-end "
                                   "lf or cr)"),
    NOTE(WRY_NOTE_IN_LOADING_MODE,
         "The board is in loading mode: its boot strap is held. Release it, then reset the board."),
    NOTE(WRY_NOTE_RESET_UNWIRED,
         "The reset of this board is not wired (--wiring): tap its button."),
    NOTE(WRY_NOTE_RESET, "The board was reset."),
    NOTE(WRY_NOTE_NO_BREAK, "This link cannot send a break."),
    NOTE(WRY_NOTE_BREAK, "A break was sent."),
};

char *wry_note_text(const struct wry_event *event)
{
    const struct template_row *row =
        template_find(rows, G_N_ELEMENTS(rows), (int)event->note, fact, event);

    return row ? template_fill(row->sentence, fact, event) : NULL;
}
