/* Recovery of interrupted writes, from the journal of this computer. */
#include "jobs/station/recovery.h"

#include <string.h>

#include "base/digest.h"
#include "base/folders.h"
#include "jobs/station/link.h"
#include "store/journal/journal.h"
#include "wrytograph/layout.h"

enum {
    LOOKED_MAX = 16, /* most shared sectors examined before a write */
};

/* A simulated board's journal is in the folder of its flash. */
static char *journal_folder(const struct wry_station *station)
{
    return station->bench ? open_bench_board_folder(station) : folders_state();
}

static const struct wry_hello_reply *board_of(const struct wry_station *station)
{
    return wry_session_board(&station->session);
}

static GArray *new_places(void)
{
    return g_array_new(TRUE, TRUE, sizeof(struct wry_place));
}

static void add_place(GArray *places, uint32_t offset, uint32_t length)
{
    struct wry_place place = {.offset = offset, .length = length};

    g_array_append_val(places, place);
}

static void tell_stretches(const struct wry_station *station, const GArray *stretches)
{
    const struct journal_stretch *first = &g_array_index(stretches, struct journal_stretch, 0);
    g_autoptr(GArray) beside = new_places();
    g_autoptr(GArray) others = new_places();

    for (guint i = 0; i < stretches->len; i++) {
        const struct journal_stretch *s = &g_array_index(stretches, struct journal_stretch, i);
        add_place(s->has_content ? beside : others, s->offset, s->length);
    }
    station_tell(station, (struct wry_event){.kind = WRY_EVENT_NOTE,
                                             .note = WRY_NOTE_UNSETTLED,
                                             .text = first->since,
                                             .places = (struct wry_place *)(void *)beside->data,
                                             .others = (struct wry_place *)(void *)others->data});
}

/* Looks up this board in the journal; notes if that fails. */
static void look(const struct wry_station *station, struct journal *journal)
{
    GArray *stretches = NULL;

    if (!journal_unsettled(journal, &stretches))
        station_note(station, WRY_NOTE_JOURNAL_UNREAD, journal_problem(journal));
    else if (stretches->len > 0)
        tell_stretches(station, stretches);
    g_array_unref(stretches);
}

void recovery_tell(struct wry_station *station, bool recovers)
{
    g_autofree char *folder = journal_folder(station);
    g_autoptr(GError) error = NULL;
    struct journal *journal = NULL;

    if (!journal_open_to_look(folder, station->settings.stop, &journal, &error)) {
        station_note(station, WRY_NOTE_JOURNAL_UNOPENED, error->message);
        return;
    }
    if (!journal)
        return;
    journal_set_board(journal, board_of(station));
    if (!recovers)
        look(station, journal);
    journal_close(journal);
}

static struct wry_problem *open_journal(struct wry_station *station)
{
    g_autofree char *folder = journal_folder(station);
    GError *error = NULL;

    station->journal = journal_open(folder, station->settings.stop, &error);
    if (station->journal)
        return NULL;
    bool stopped = station_stopped(station);
    return PROBLEM(stopped ? WRY_OUTCOME_STOPPED : WRY_OUTCOME_BAD_INPUT,
                   stopped ? WRY_PROBLEM_JOURNAL_STOPPED : WRY_PROBLEM_NO_JOURNAL, NULL,
                   .cause = error);
}

static void tell_address(const struct wry_station *station)
{
    struct wry_event event = {.kind = WRY_EVENT_NOTE, .note = WRY_NOTE_SHARED_ADDRESS};

    if (journal_knows_board(board_of(station)->eui48))
        return;
    memcpy(event.address, board_of(station)->eui48, sizeof event.address);
    station_tell(station, event);
}

struct settled {
    GArray *sectors[3]; /* by enum wry_recovered */
};

static void on_settled(void *context, uint32_t offset, enum wry_recovered problem)
{
    add_place(((struct settled *)context)->sectors[problem], offset, WRY_SECTOR_SIZE);
}

static void tell_settled(const struct wry_station *station, const struct settled *settled)
{
    const GPtrArray *aside = journal_set_aside(station->journal);

    station_note_places(station, WRY_NOTE_PUT_BACK, settled->sectors[WRY_RECOVERED_PUT_BACK]);
    station_note_places(station, WRY_NOTE_NEWER, settled->sectors[WRY_RECOVERED_NEWER]);
    station_note_places(station, WRY_NOTE_BEYOND, settled->sectors[WRY_RECOVERED_BEYOND]);
    for (guint i = 0; i < aside->len; i++)
        station_note(station, WRY_NOTE_SET_ASIDE, g_ptr_array_index(aside, i));
}

static struct wry_problem *settle(struct wry_station *station)
{
    struct settled settled = {{new_places(), new_places(), new_places()}};
    struct wry_recovery_sink sink = {.context = &settled, .sector = on_settled};
    enum wry_status status = wry_session_recover(&station->session, &sink);

    tell_settled(station, &settled);
    for (size_t i = 0; i < G_N_ELEMENTS(settled.sectors); i++)
        g_array_unref(settled.sectors[i]);
    return status == WRY_OK ? NULL : problem_of_session(station, status);
}

struct wry_problem *recovery_settle(struct wry_station *station)
{
    if (station->journal)
        return NULL;
    struct wry_problem *problem = open_journal(station);
    if (problem)
        return problem;
    tell_address(station);
    journal_set_board(station->journal, board_of(station));
    wry_session_set_journal(&station->session, journal_callbacks(station->journal));
    return settle(station);
}

/* The part of a shared sector before or after the images. */
static void uncovered_part(const struct wry_plan *plan, uint32_t sector, bool head, uint32_t *start,
                           uint32_t *end)
{
    *start = sector;
    *end = sector + WRY_SECTOR_SIZE;
    if (head) {
        while (*end > *start + 1 && wry_plan_covered(plan, *start, *end - *start) > 0)
            --*end;
    } else {
        while (*start + 1 < *end && wry_plan_covered(plan, *start, *end - *start) > 0)
            ++*start;
    }
}

/* Parts of shared sectors that no image covers. */
struct beside {
    const struct wry_region_table *layout;
    const struct wry_plan *plan;
    struct wry_range_message parts[2 * LOOKED_MAX];
    size_t count;
};

static void note_beside(struct beside *b, uint32_t sector, bool head)
{
    uint32_t start, end;

    uncovered_part(b->plan, sector, head, &start, &end);
    /* The region after an image at its start is usually blank. */
    const struct wry_region *region = wry_layout_at(b->layout, start);
    bool rest = region && wry_plan_covered(b->plan, region->offset, 1) > 0;
    if (rest || wry_plan_covered(b->plan, start, end - start) > 0)
        return;
    b->parts[b->count++] = (struct wry_range_message){.offset = start, .length = end - start};
}

static void find_beside(struct beside *b)
{
    struct wry_span span;
    uint32_t start, end;
    unsigned looked = 0;

    for (uint32_t from = 0; wry_plan_next_span(b->plan, from, &span); from = span.end) {
        for (uint32_t at = span.start; at < span.end && looked < LOOKED_MAX;
             at += WRY_SECTOR_SIZE) {
            if (!wry_plan_gap(b->plan, at, WRY_SECTOR_SIZE, &start, &end))
                continue;
            note_beside(b, at, true);
            note_beside(b, at, false);
            looked++;
        }
    }
}

/* Keeps those of the ranges that are blank by the board's digests, and the place of each. */
static enum wry_status keep_blank(struct wry_station *station, struct wry_range_message *ranges,
                                  size_t *count, size_t *places)
{
    uint8_t theirs[2 * LOOKED_MAX][WRY_SHA256_SIZE], ours[WRY_SHA256_SIZE];
    enum wry_status status = wry_session_digests(&station->session, ranges, *count, theirs);
    size_t kept = 0;

    for (size_t i = 0; status == WRY_OK && i < *count; i++) {
        digest_of_blank(ranges[i].length, ours);
        if (memcmp(ours, theirs[i], sizeof ours) != 0)
            continue;
        ranges[kept] = ranges[i];
        places[kept++] = i;
    }
    *count = kept;
    return status;
}

/* Where the rest of a sector is blank, but not the sector: intended, or left by an interrupted
 * write. */
struct wry_problem *recovery_look_beside(struct wry_station *station,
                                         const struct wry_region_table *layout,
                                         const struct wry_plan *plan)
{
    g_autoptr(GArray) suspects = new_places();
    struct beside b = {.layout = layout, .plan = plan};
    struct wry_range_message sectors[2 * LOOKED_MAX];
    size_t places[2 * LOOKED_MAX];
    bool blank[2 * LOOKED_MAX] = {false};

    find_beside(&b);
    enum wry_status status = keep_blank(station, b.parts, &b.count, places);
    size_t count = b.count;
    for (size_t i = 0; i < count; i++)
        sectors[i] = (struct wry_range_message){.offset = b.parts[i].offset -
                                                          b.parts[i].offset % WRY_SECTOR_SIZE,
                                                .length = WRY_SECTOR_SIZE};
    if (status == WRY_OK)
        status = keep_blank(station, sectors, &count, places);
    if (status != WRY_OK)
        return problem_of_session(station, status);
    for (size_t i = 0; i < count; i++)
        blank[places[i]] = true;
    for (size_t i = 0; i < b.count; i++) {
        if (!blank[i])
            add_place(suspects, b.parts[i].offset, b.parts[i].length);
    }
    station_note_places(station, WRY_NOTE_BLANK_BESIDE, suspects);
    return NULL;
}

/* The board cannot be recognised later: its stored content goes into files for the user. */
static void set_aside_unknown(const struct wry_station *station)
{
    const GPtrArray *aside = journal_set_aside(station->journal);
    guint before = aside->len;

    if (journal_knows_board(board_of(station)->eui48))
        return;
    if (!journal_set_all_aside(station->journal))
        station_note(station, WRY_NOTE_SET_ASIDE_FAILED, journal_problem(station->journal));
    for (guint i = before; i < aside->len; i++)
        station_note(station, WRY_NOTE_SET_ASIDE_AT_END, g_ptr_array_index(aside, i));
}

void recovery_close(struct wry_station *station)
{
    if (!station->journal)
        return;
    if (wry_session_stats(&station->session)->not_forgotten > 0)
        station_note(station, WRY_NOTE_NOT_FORGOTTEN, journal_problem(station->journal));
    else
        look(station, station->journal);
    set_aside_unknown(station);
    journal_close(station->journal);
    station->journal = NULL;
}
