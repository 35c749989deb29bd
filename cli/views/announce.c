/* What is about to be done. */
#include "announce.h"

#include "base/units.h"
#include "words.h"

static void announce_image(const struct app *app, const struct wry_planned_image *image)
{
    g_autofree char *length = units_bytes(image->length);

    app_note(app, "  0x%06X to 0x%06X  %-13s %s%s%s%s%s", (unsigned)image->start,
             (unsigned)(image->start + image->span - 1), length, image->name,
             image->region ? " into region " : "", image->region ? image->region->name : "",
             image->has_header ? ": " : "  (no boot header: written as it is)",
             image->has_header ? image->header.version : "");
    if (image->header_set)
        app_note(app, "    the flash size in its boot header is set to that of this board");
}

static void announce_write(const struct app *app, const struct wry_planned *planned)
{
    g_autofree char *kept = units_bytes(planned->kept);

    app_note(app, "%s", planned->dry_run ? "Would write:" : "Going to write:");
    for (size_t i = 0; i < planned->image_count; i++)
        announce_image(app, planned->images[i]);
    app_note(app, "%u sector%s%s; %s beside the images in the same sectors %s.",
             (unsigned)planned->sectors, planned->sectors == 1 ? " holds them" : "s hold them",
             planned->every_sector ? ", and all is rewritten" : ", what differs is rewritten", kept,
             planned->kept == 1 ? "is kept as it is now" : "are kept as they are now");
}

/* What will be lost, by region where the layout knows them. */
static void announce_part(const struct app *app, const struct wry_planned *planned,
                          const struct wry_placement *item)
{
    const struct wry_region_table *layout = &planned->layout.table;
    uint32_t end = item->offset + item->length;
    g_autofree char *length = units_bytes(item->length);
    g_autoptr(GString) names = g_string_new(NULL);

    for (uint32_t i = 0; i < layout->count; i++) {
        const struct wry_region *region = &layout->regions[i];
        if (region->offset < end && region->offset + region->length > item->offset)
            g_string_append_printf(names, "%s%s", names->len > 0 ? ", " : "", region->name);
    }
    app_note(app, "  0x%06X to 0x%06X  %-12s %s%s", (unsigned)item->offset, (unsigned)(end - 1),
             length, names->len > 0 ? "of: " : "in no region", names->str);
}

static void announce_erase(const struct app *app, const struct wry_planned *planned)
{
    app_note(app, "%s",
             planned->dry_run ? "Would erase, and lose:" : "Going to erase; lost will be:");
    for (size_t i = 0; i < planned->plan.count; i++)
        announce_part(app, planned, &planned->plan.placements[i]);
}

static void announce_restore(const struct app *app, const struct wry_planned *planned)
{
    g_autofree char *total = units_bytes(wry_plan_total(&planned->plan));
    const char *begin = planned->dry_run ? "Would" : "Going to";

    if (planned->created)
        app_note(app, "%s restore %s from %s, made %s by %s.", begin, total, planned->archive,
                 planned->created, planned->tool);
    else
        app_note(app, "%s restore %s from %s.", begin, total, planned->archive);
}

void announce(const struct app *app, const struct wry_planned *planned)
{
    g_autofree char *board = words_board(app->station);

    app_note(app, "Board %s", board);
    if (planned->image_count > 0)
        announce_write(app, planned);
    else if (planned->archive)
        announce_restore(app, planned);
    else
        announce_erase(app, planned);
}
