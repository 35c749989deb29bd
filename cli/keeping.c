/* The journal of this computer, and what is said of it. */
#include "keeping.h"

#include <string.h>

#include "link.h"
#include "store/units.h"

enum {
    TOLD_MAX = 6,    /* places named in one sentence */
    LOOKED_MAX = 16, /* mixed sectors looked at before a write */
};

/* Simulated boards keep their journal beside their flash. */
static char *journal_folder(const struct app *app)
{
    g_autofree char *fallback = bench_default_folder();
    const char *bench = app->bench_folder ? app->bench_folder : fallback;

    return app->bench ? g_build_filename(bench, app->link + strlen("bench:"), NULL)
                      : journal_default_folder();
}

static const struct wry_hello_reply *board_of(const struct app *app)
{
    return wry_session_board(&app->session);
}

/* "0x010000 to 0x010FFF, 0x040000 to 0x04FFFF" of the stretches with or without content. */
static char *name_stretches(const GArray *stretches, bool has_content)
{
    GString *text = g_string_new(NULL);
    unsigned n = 0;

    for (guint i = 0; i < stretches->len; i++) {
        const struct journal_stretch *s = &g_array_index(stretches, struct journal_stretch, i);
        if (s->has_content != has_content)
            continue;
        if (n++ < TOLD_MAX)
            g_string_append_printf(text, "%s0x%06X to 0x%06X", n > 1 ? ", " : "",
                                   (unsigned)s->offset, (unsigned)(s->offset + s->length - 1));
    }
    if (n > TOLD_MAX)
        g_string_append_printf(text, " and %u more", n - TOLD_MAX);
    return g_string_free(text, FALSE);
}

static void note_stretches(struct app *app, const GArray *stretches)
{
    g_autofree char *beside = name_stretches(stretches, true);
    g_autofree char *other = name_stretches(stretches, false);
    const struct journal_stretch *first = &g_array_index(stretches, struct journal_stretch, 0);

    app_note(app,
             "Note: a job on this board was cut%s%s, and this computer has not seen it mended.",
             first->since[0] ? ", begun " : "", first->since);
    if (beside[0])
        app_note(app,
                 "  What stood beside the images in %s is only in the journal of this computer;\n"
                 "  the next write, erase, restore or backup of this board from here puts it back.",
                 beside);
    if (other[0])
        app_note(app, "  Not known to be complete: %s.", other);
}

/* What the journal knows of this board. False when it cannot be read. */
static bool look(struct app *app, struct journal *journal)
{
    GArray *stretches = NULL;
    bool read = journal_unsettled(journal, &stretches);

    if (read && stretches->len > 0)
        note_stretches(app, stretches);
    g_array_unref(stretches);
    return read;
}

void keeping_tell(struct app *app)
{
    g_autofree char *folder = journal_folder(app);
    g_autoptr(GError) error = NULL;
    struct journal *journal = NULL;

    if (!journal_open_to_look(folder, app_stop(), &journal, &error)) {
        app_note(app,
                 "Note: the journal of this computer cannot be read, so whether a job on this "
                 "board was cut is not known.\n  %s",
                 error->message);
        return;
    }
    if (!journal)
        return;
    journal_set_board(journal, board_of(app));
    if (!app->settles && !look(app, journal))
        app_note(app, "Note: the journal of this computer cannot be read: %s.",
                 journal_problem(journal));
    journal_close(journal);
}

static int open_journal(struct app *app)
{
    g_autofree char *folder = journal_folder(app);
    g_autoptr(GError) error = NULL;

    app->journal = journal_open(folder, app_stop(), &error);
    if (app->journal)
        return EXIT_DONE;
    if (app_interrupted())
        return app_fail(app, EXIT_STOPPED, "Nothing was changed.", "stopped at your request");
    return app_fail(app, EXIT_BAD_INPUT, app_journal_advice, "the journal cannot be used: %s",
                    error->message);
}

struct settled {
    GString *put_back, *newer, *beyond;
    unsigned put_back_count;
};

static void on_settled(void *context, uint32_t offset, enum wry_settled outcome)
{
    struct settled *settled = context;
    GString *text = outcome == WRY_SETTLED_PUT_BACK ? settled->put_back
                    : outcome == WRY_SETTLED_NEWER  ? settled->newer
                                                    : settled->beyond;

    settled->put_back_count += outcome == WRY_SETTLED_PUT_BACK;
    g_string_append_printf(text, "%s0x%06X", text->len > 0 ? ", " : "", (unsigned)offset);
}

static void note_settled(struct app *app, const struct settled *settled)
{
    const GPtrArray *aside = journal_set_aside(app->journal);

    if (settled->put_back->len > 0)
        app_note(app,
                 "A job on this board was cut before. What it shared a sector with was put back "
                 "first: sector%s %s.",
                 settled->put_back_count == 1 ? "" : "s", settled->put_back->str);
    if (settled->newer->len > 0)
        app_note(app,
                 "A job on this board was cut before, but the sectors at %s were written since by "
                 "somebody else: they are kept as they are.",
                 settled->newer->str);
    if (settled->beyond->len > 0)
        app_note(app,
                 "The journal had content for %s, where this flash has no sector: it is not "
                 "written.",
                 settled->beyond->str);
    for (guint i = 0; i < aside->len; i++)
        app_note(app, "  What stood there before the cut is in %s.",
                 (const char *)g_ptr_array_index(aside, i));
}

static void warn_of_address(struct app *app)
{
    g_autofree char *address = units_address(board_of(app)->eui48);

    if (!journal_knows_board(board_of(app)->eui48))
        app_note(app,
                 "Warning: %s is no address of one board: a job that is cut here cannot be made "
                 "good by a later one,\n  and a backup does not tell this board from others.",
                 address);
}

int keeping_settle(struct app *app)
{
    struct settled settled = {
        .put_back = g_string_new(NULL), .newer = g_string_new(NULL), .beyond = g_string_new(NULL)};
    struct wry_settle_sink sink = {.context = &settled, .sector = on_settled};
    int code = open_journal(app);

    if (code == EXIT_DONE) {
        warn_of_address(app);
        journal_set_board(app->journal, board_of(app));
        wry_session_set_keeper(&app->session, journal_keeper(app->journal));
        enum wry_status status = wry_session_settle(&app->session, &sink);
        note_settled(app, &settled);
        if (status != WRY_OK)
            code = app_fail_session(app, status);
    }
    g_string_free(settled.put_back, TRUE);
    g_string_free(settled.newer, TRUE);
    g_string_free(settled.beyond, TRUE);
    return code;
}

/* True when the board's digest of the range is that of blank flash. */
static enum wry_status is_blank(struct app *app, uint32_t start, uint32_t end, bool *blank)
{
    uint8_t theirs[WRY_SHA256_SIZE], ours[WRY_SHA256_SIZE];
    const uint8_t ff = 0xFF;
    struct wry_sha256 sha;
    enum wry_status status = wry_session_digest(&app->session, start, end - start, theirs);

    wry_sha256_begin(&sha);
    for (uint32_t i = start; i < end; i++)
        wry_sha256_add(&sha, &ff, 1);
    wry_sha256_end(&sha, ours);
    *blank = status == WRY_OK && memcmp(ours, theirs, sizeof ours) == 0;
    return status;
}

/* Of a sector at the edge of a run, the part that no image covers: before or behind the images. */
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

/* Blank beside content that is about to be replaced: as it should be, or what a cut has left. */
static enum wry_status look_beside(struct app *app, const struct wry_plan *plan, uint32_t sector,
                                   bool head, GString *suspects)
{
    uint32_t start, end;
    bool blank = false, all_blank = false;

    uncovered_part(plan, sector, head, &start, &end);
    /* Behind an image that begins its region, the rest of the region is blank as a rule. */
    const struct wry_region *region = wry_layout_at(&app->layout, start);
    bool rest = region && wry_plan_covered(plan, region->offset, 1) > 0;
    if (rest || wry_plan_covered(plan, start, end - start) > 0)
        return WRY_OK;
    enum wry_status status = is_blank(app, start, end, &blank);
    if (status == WRY_OK && blank)
        status = is_blank(app, sector, sector + WRY_SECTOR_SIZE, &all_blank);
    if (status == WRY_OK && blank && !all_blank)
        g_string_append_printf(suspects, "%s0x%06X to 0x%06X", suspects->len > 0 ? ", " : "",
                               (unsigned)start, (unsigned)(end - 1));
    return status;
}

static enum wry_status look_beside_images(struct app *app, const struct wry_plan *plan,
                                          GString *suspects)
{
    struct wry_run run;
    enum wry_status status = WRY_OK;
    unsigned looked = 0;

    for (uint32_t from = 0;
         status == WRY_OK && looked < LOOKED_MAX && wry_plan_next_run(plan, from, &run);
         from = run.end) {
        uint32_t last = run.end - WRY_SECTOR_SIZE;
        if (run.head_mixed)
            status = look_beside(app, plan, run.start, true, suspects);
        if (status == WRY_OK && (run.tail_mixed || (run.head_mixed && last == run.start)))
            status = look_beside(app, plan, last, false, suspects);
        looked += run.head_mixed + run.tail_mixed;
    }
    return status;
}

int keeping_announce(struct app *app, const struct wry_plan *plan)
{
    GString *suspects = g_string_new(NULL);
    enum wry_status status = look_beside_images(app, plan, suspects);

    if (status == WRY_OK && suspects->len > 0)
        app_note(app,
                 "Note: %s is blank beside content. If a job on this board was cut on another\n"
                 "  computer, what stood there is in that computer's journal: go on there first.",
                 suspects->str);
    g_string_free(suspects, TRUE);
    return status == WRY_OK ? EXIT_DONE : app_fail_session(app, status);
}

/* A board that nobody will know again: its content goes into files that a person can find. */
static void set_aside_unknown(struct app *app)
{
    const GPtrArray *aside = journal_set_aside(app->journal);
    guint before = aside->len;

    if (journal_knows_board(board_of(app)->eui48))
        return;
    if (!journal_set_all_aside(app->journal))
        app_note(app, "What the journal holds of this board could not be put into files: %s.",
                 journal_problem(app->journal));
    for (guint i = before; i < aside->len; i++)
        app_note(app, "  What stood there is in %s.", (const char *)g_ptr_array_index(aside, i));
}

void keeping_close(struct app *app)
{
    if (!app->journal)
        return;
    if (wry_session_stats(&app->session)->not_forgotten > 0)
        app_note(app,
                 "The journal could not be brought up to date (%s): the next job on this board "
                 "writes some sectors once more.",
                 journal_problem(app->journal));
    else if (!look(app, app->journal))
        app_note(app, "Note: the journal of this computer cannot be read: %s.",
                 journal_problem(app->journal));
    set_aside_unknown(app);
    journal_close(app->journal);
    app->journal = NULL;
}
