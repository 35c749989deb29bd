/* Notes in words. */
#include "sentences.h"
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

/* In local time, with its zone. */
static char *begun(const struct wry_event *event)
{
    g_autoptr(GDateTime) utc = g_date_time_new_from_iso8601(event->text ? event->text : "", NULL);
    g_autoptr(GDateTime) local = utc ? g_date_time_to_local(utc) : NULL;
    g_autofree char *when = local ? g_date_time_format(local, "%Y-%m-%d %H:%M:%S %Z") : text(event);

    return when ? g_strconcat(", begun ", when, ",", NULL) : g_strdup("");
}

FACT(speed, g_strdup_printf("%u", event->speed))
FACT(other_speed, g_strdup_printf("%u", event->other_speed))
FACT(waiting, g_strdup_printf("%zu run%s", event->n, event->n == 1 ? " waits" : "s wait"))
FACT(bytes, wry_units_bytes(event->progress->done))
FACT(repeated, event->other_speed > 0 ? g_strdup_printf("%u block%s", event->other_speed,
                                                        event->other_speed == 1 ? "" : "s")
                                      : NULL)
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
    ROW(sectors), ROW(starts),      ROW(bytes),     ROW(repeated),
};

static char *fact(const void *event, const char *name)
{
    for (size_t i = 0; i < G_N_ELEMENTS(facts); i++) {
        if (g_str_equal(facts[i].name, name))
            return facts[i].make(event);
    }
    return NULL;
}

char *wry_note_text(const struct wry_event *event)
{
    const struct template_row *row =
        template_find(sentences_notes, sentences_notes_size, (int)event->note, fact, event);

    return row ? template_fill(row->sentence, fact, event) : NULL;
}
