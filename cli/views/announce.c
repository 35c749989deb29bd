/* The plan of a job, before it starts. */
#include "announce.h"

#include <string.h>

#include "times.h"
#include "words.h"
#include "wrytograph-host/units.h"

enum {
    KEYS_SHOWN = 6,
};

/* Names of the regions that a range touches; "" for none. */
static char *touched(const struct wry_planned *planned, uint64_t start, uint64_t end)
{
    const struct wry_region_table *layout = &planned->layout.table;
    GString *names = g_string_new(NULL);

    for (uint32_t i = 0; i < layout->count; i++) {
        const struct wry_region *region = &layout->regions[i];
        if (region->offset < end && region->offset + region->length > start)
            g_string_append_printf(names, "%s%s", names->len > 0 ? ", " : "", region->name);
    }
    return g_string_free(names, FALSE);
}

static char *key_names(const struct wry_planned_image *image)
{
    GString *text = g_string_new(NULL);
    guint n = 0;

    for (; image->keys && image->keys[n]; n++) {
        if (n < KEYS_SHOWN)
            g_string_append_printf(text, "%s%s", n > 0 ? ", " : "", image->keys[n]);
    }
    if (n > KEYS_SHOWN)
        g_string_append_printf(text, " and %u more", n - KEYS_SHOWN);
    return g_string_free(text, FALSE);
}

/* What the file contains. */
static char *what_of(const struct wry_planned_image *image)
{
    g_autofree char *keys = key_names(image);

    switch (image->what) {
    case WRY_WHAT_PROGRAM:
        return image->has_header ? g_strdup_printf(": %s%s", image->header.version,
                                                   image->damaged ? ", damaged" : "")
                                 : g_strdup(": a program with a damaged header");
    case WRY_WHAT_TABLE:
        return g_strdup(": a region table");
    case WRY_WHAT_SETTINGS:
        return g_strdup_printf(": settings (%s)", keys);
    case WRY_WHAT_FOLDER:
        return g_strdup(": a folder, as a ustar archive");
    case WRY_WHAT_OTHER:
        break;
    }
    return g_strdup("  (no boot header: written unchanged)");
}

static void announce_doubt(const struct app *app, const struct wry_planned_image *image)
{
    const char *region = image->doubt_region.name;

    switch (image->doubt) {
    case WRY_DOUBT_NONE:
        break;
    case WRY_DOUBT_ACROSS:
        app_note(app, "    Warning: it extends across an end of region %s.", region);
        break;
    case WRY_DOUBT_SETTINGS:
        app_note(app, "    Warning: it overwrites region %s, which has settings.", region);
        break;
    case WRY_DOUBT_TABLE:
        app_note(app, "    Warning: it overwrites region %s, the region table.", region);
        break;
    }
}

/* Remarks after the first line of an image. */
static void announce_remarks(const struct app *app, const struct wry_planned *planned,
                             const struct wry_planned_image *image)
{
    g_autofree char *rest = wry_units_bytes(image->rest_length);

    if (image->place_found)
        app_note(app, "    no place was given: its content belongs in this region");
    for (const char *const *text = image->changes; text && *text; text++)
        app_note(app, "    %s", *text);
    if (image->header_set)
        app_note(app, "    the flash size in its boot header is set to that of this board");
    if (image->read_set) {
        g_autofree char *mode = words_read_mode(&image->header);
        app_note(app, "    the read mode in its boot header is set to %s", mode);
    }
    if (image->rest_length > 0)
        app_note(app, "    the rest of the region, 0x%06X to 0x%06X, is erased: %s",
                 (unsigned)image->rest_offset,
                 (unsigned)(image->rest_offset + image->rest_length - 1), rest);
    announce_doubt(app, image);
    if (words_would_not_start(planned, image))
        app_note(app, "    Warning: %s: the board will not start from it.",
                 image->has_header || image->what == WRY_WHAT_PROGRAM
                     ? "it is damaged"
                     : "it has no boot header, but the chip may start from there");
}

static void announce_image(const struct app *app, const struct wry_planned *planned,
                           const struct wry_planned_image *image)
{
    uint64_t end = image->start + image->span;
    g_autofree char *length = wry_units_bytes(image->length);
    g_autofree char *what = what_of(image);
    g_autofree char *names = touched(planned, image->start, end);
    const char *into = image->region        ? " into region "
                       : names[0] == '\0'   ? ", in no region"
                       : strchr(names, ',') ? ", over regions "
                                            : ", in region ";

    app_note(app, "  0x%06X to 0x%06X  %-13s %s%s%s%s%s", (unsigned)image->start,
             (unsigned)(end - 1), length, image->name, image->from_shelf ? " from the shelf" : "",
             into, image->region ? image->region->name : names, what);
    announce_remarks(app, planned, image);
}

static void announce_moved(const struct app *app, const struct wry_planned *planned)
{
    for (size_t i = 0; i < planned->moved_count; i++) {
        const struct wry_moved_region *moved = &planned->moved[i];
        app_note(app,
                 "  region %s moves from 0x%06X to 0x%06X by %s; its old content stays where it is",
                 moved->to.name, (unsigned)moved->from.offset, (unsigned)moved->to.offset,
                 planned->layout.file);
    }
}

static void announce_write(const struct app *app, const struct wry_planned *planned)
{
    g_autofree char *kept = wry_units_bytes(planned->kept);

    app_note(app, "%s", planned->dry_run ? "Would write:" : "Going to write:");
    for (size_t i = 0; i < planned->image_count; i++)
        announce_image(app, planned, planned->images[i]);
    announce_moved(app, planned);
    app_note(app, "%u sector%s%s; %s of other content in the same sectors %s preserved.",
             (unsigned)planned->sectors, planned->sectors == 1 ? " holds them" : "s hold them",
             planned->every_sector ? ", and all are rewritten"
                                   : ", those that differ are rewritten",
             kept, planned->kept == 1 ? "is" : "are");
}

/* What will be lost, by region if the layout is known. */
static void announce_part(const struct app *app, const struct wry_planned *planned,
                          const struct wry_placement *item)
{
    uint32_t end = item->offset + item->length;
    g_autofree char *length = wry_units_bytes(item->length);
    g_autofree char *names = touched(planned, item->offset, end);

    app_note(app, "  0x%06X to 0x%06X  %-12s %s%s", (unsigned)item->offset, (unsigned)(end - 1),
             length, names[0] ? "of: " : "in no region", names);
}

static void announce_erase(const struct app *app, const struct wry_planned *planned)
{
    app_note(app, "%s",
             planned->dry_run ? "Would erase, and lose:" : "Going to erase; this will be lost:");
    for (size_t i = 0; i < planned->plan.count; i++)
        announce_part(app, planned, &planned->plan.placements[i]);
}

static void announce_restore(const struct app *app, const struct wry_planned *planned)
{
    g_autofree char *total = wry_units_bytes(wry_plan_total(&planned->plan));
    const char *begin = planned->dry_run ? "Would" : "Going to";

    g_autofree char *made = times_local(planned->created);

    if (planned->created)
        app_note(app, "%s restore %s from %s, made %s by %s.", begin, total, planned->archive, made,
                 planned->tool);
    else
        app_note(app, "%s restore %s from %s.", begin, total, planned->archive);
}

static bool is_remarkable(const struct wry_planned *planned, const struct wry_planned_image *image)
{
    return image->place_found || image->header_set || image->read_set || image->rest_length > 0 ||
           image->doubt != WRY_DOUBT_NONE || image->from_shelf ||
           image->what == WRY_WHAT_SETTINGS || words_would_not_start(planned, image);
}

void announce_notable(const struct app *app, const struct wry_planned *planned)
{
    for (size_t i = 0; i < planned->image_count; i++) {
        if (is_remarkable(planned, planned->images[i]))
            announce_image(app, planned, planned->images[i]);
    }
    announce_moved(app, planned);
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
