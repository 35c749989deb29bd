/* erase: all of the flash, regions or ranges; everything else stays. */
#include <string.h>

#include "bar.h"
#include "keeping.h"
#include "link.h"
#include "regions.h"
#include "store/units.h"
#include "wrytograph/plan.h"

static bool read_blank(void *context, uint32_t offset, uint8_t *to, size_t n)
{
    (void)context;
    (void)offset;
    memset(to, 0xFF, n);
    return true;
}

static int parse_ranges(struct app *app, const struct target *target, GArray *items)
{
    for (char **text = app->rest; *text; text++) {
        struct wry_placement item = {.reader = {.read = read_blank}, .label = *text};
        int code = regions_parse_range(app, target, *text, &item.offset, &item.length);
        if (code != EXIT_DONE)
            return code;
        g_array_append_val(items, item);
    }
    return EXIT_DONE;
}

/* What will be lost, by region where the layout knows them. */
static void announce(struct app *app, const struct wry_plan *plan)
{
    g_autofree char *board = link_describe(app);

    app_note(app, "Board %s", board);
    app_note(app, "%s", app->dry_run ? "Would erase, and lose:" : "Going to erase; lost will be:");
    for (size_t i = 0; i < plan->count; i++) {
        const struct wry_placement *item = &plan->placements[i];
        uint32_t end = item->offset + item->length;
        g_autofree char *length = units_bytes(item->length);
        GString *names = g_string_new(NULL);
        for (uint32_t k = 0; k < app->layout.count; k++) {
            const struct wry_region *region = &app->layout.regions[k];
            if (region->offset < end && region->offset + region->length > item->offset)
                g_string_append_printf(names, "%s%s", names->len > 0 ? ", " : "", region->name);
        }
        app_note(app, "  0x%06X to 0x%06X  %-12s %s%s", (unsigned)item->offset, (unsigned)(end - 1),
                 length, names->len > 0 ? "of: " : "in no region", names->str);
        g_string_free(names, TRUE);
    }
}

static int erase(struct app *app, const struct wry_plan *plan)
{
    uint64_t begun = app->port->now(app->port->context);
    const struct wry_session_stats *stats = wry_session_stats(&app->session);
    int code = keeping_settle(app);

    if (code != EXIT_DONE)
        return code;
    app->bar = bar_begin("Erasing", WRY_STEP_WRITE, begun);
    enum wry_status status = wry_session_write(&app->session, plan);
    bar_end(app->bar);
    app->bar = NULL;
    double seconds = (double)(app->port->now(app->port->context) - begun) / 1e6;
    if (status != WRY_OK)
        return app_fail_session(app, status);
    g_autofree char *total = units_bytes(wry_plan_total(plan));
    g_autofree char *duration = app_duration(app, seconds);
    app_outcome(app, true, "Erased, and checked to be blank by the board's SHA-256: %s %s.", total,
                duration);
    if (stats->sectors_left > 0)
        app_note(app, "%u sector%s blank already.", (unsigned)stats->sectors_left,
                 stats->sectors_left == 1 ? " was" : "s were");
    app_json_number(app, "bytes_erased", (int64_t)wry_plan_total(plan));
    app_json_number(app, "sectors_written", stats->sectors_written);
    app_json_number(app, "sectors_left", stats->sectors_left);
    return EXIT_DONE;
}

static int plan_ranges(struct app *app, struct wry_plan *plan, GArray *items)
{
    struct wry_fault fault;
    enum wry_status status = wry_plan_init(plan, (struct wry_placement *)(void *)items->data,
                                           items->len, app->session.board.capacity, &fault);

    if (status == WRY_OVERLAP)
        return app_fail(app, EXIT_USAGE, "Nothing was changed. Name each part once.",
                        "two of the ranges overlap from 0x%06X to 0x%06X", (unsigned)fault.offset,
                        (unsigned)(fault.offset + fault.length - 1));
    return status == WRY_OK
               ? EXIT_DONE
               : app_fail(app, EXIT_WRONG, "Nothing was changed.",
                          "the range at 0x%06X does not fit the flash", (unsigned)fault.offset);
}

static int run(struct app *app, GArray *items)
{
    struct wry_plan plan;

    if (!app->rest[0])
        return app_fail(app, EXIT_USAGE, "Say all, a region's name, or OFFSET+LENGTH.",
                        "nothing said to erase");
    app->settles = !app->dry_run;
    int code = link_connect(app);
    if (code != EXIT_DONE)
        return code;
    struct target target = regions_target(app);
    code = regions_load(app, &target);
    if (code == EXIT_DONE)
        code = parse_ranges(app, &target, items);
    if (code == EXIT_DONE)
        code = plan_ranges(app, &plan, items);
    if (code != EXIT_DONE)
        return code;
    announce(app, &plan);
    if (!app->dry_run)
        return erase(app, &plan);
    app_print(app, "Nothing was erased (--dry-run).");
    return EXIT_DONE;
}

int verb_erase(struct app *app, int argc, char **argv)
{
    g_autoptr(GArray) items = g_array_new(FALSE, FALSE, sizeof(struct wry_placement));

    if (!app_parse(app, argc, argv, APP_LINK | APP_DRY_RUN | APP_LAYOUT | APP_EVERY, NULL,
                   "all | REGION… | OFFSET+LENGTH…",
                   "Erases the parts named, and checks that they are blank. What shares a sector\n"
                   "with them stays as it is. Says first what will be lost; --dry-run stops "
                   "there."))
        return app->code;
    return run(app, items);
}
