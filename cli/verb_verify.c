/* verify: images or an archive against what the flash holds. */
#include <string.h>

#include "archives.h"
#include "bar.h"
#include "differences.h"
#include "link.h"
#include "placements.h"
#include "store/units.h"

struct comparison {
    enum wry_verify_method method;
    struct flash_map *map;
    bool differs;
    uint32_t first;
};

static void draw(struct app *app, struct comparison *c, const struct wry_placement *item,
                 const GArray *differences, const char *name)
{
    if (!c->map) {
        g_autofree char *title = g_strdup_printf("What differs; layout: %s", app->layout_source);
        c->map = flash_map_new(title, app->session.board.capacity, &app->layout);
    }
    flash_map_add(c->map, MAP_AGREES, item->offset, item->length, NULL);
    differences_add_to_map(c->map, differences, name);
}

/* One stretch of content, printed and noted. */
static enum wry_status compare(struct app *app, struct comparison *c,
                               const struct wry_placement *item, uint32_t content_offset,
                               const char *name, const char *content)
{
    g_autoptr(GArray) differences = g_array_new(FALSE, FALSE, sizeof(struct difference));
    enum wry_status status = differences_find(app, item, c->method, differences);
    bool same = differences->len == 0;
    const char *how = c->method == WRY_VERIFY_DIGEST ? "by SHA-256" : "byte for byte";

    if (status != WRY_OK)
        return status;
    g_autofree char *length = units_bytes(item->length);
    app_outcome(app, same, "0x%06X  %-24s %s%s", (unsigned)item->offset, name,
                same ? "agrees " : "DIFFERS", same ? how : "");
    differences_print(app, differences, content_offset, content);
    json_builder_begin_object(app->json);
    app_json_text(app, "name", name);
    app_json_offset(app, "offset", item->offset);
    app_json_number(app, "length", item->length);
    differences_add_json(app, differences);
    json_builder_end_object(app->json);
    draw(app, c, item, differences, strcmp(content, "file") == 0 ? name : content);
    if (same)
        return WRY_OK;
    const struct difference *first = &g_array_index(differences, struct difference, 0);
    if (!c->differs || first->offset < c->first)
        c->first = first->offset;
    c->differs = true;
    return WRY_OK;
}

static enum wry_status compare_images(struct app *app, struct comparison *c,
                                      const struct placements *placements)
{
    enum wry_status status = WRY_OK;

    for (size_t i = 0; i < placements->count && status == WRY_OK; i++) {
        const struct image *image = placements_image(placements, i);
        status = compare(app, c, &placements->items[i], image->base, image->file->name, "file");
    }
    return status;
}

static enum wry_status compare_archive(struct app *app, struct comparison *c,
                                       struct archive *archive)
{
    enum wry_status status = WRY_OK;

    for (guint i = 0; i < archive->ranges->len && status == WRY_OK; i++) {
        struct archive_range *range = &g_array_index(archive->ranges, struct archive_range, i);
        struct wry_placement item = archives_placement(range);
        const struct wry_region *region = wry_layout_at(&app->layout, range->offset);
        bool whole = range->length == archive->flash_size;
        status = compare(app, c, &item, 0,
                         whole    ? "whole flash"
                         : region ? region->name
                                  : "range",
                         "archive");
    }
    return status;
}

static int conclude(struct app *app, struct comparison *c, enum wry_status status, const char *what,
                    const char *mends)
{
    if (status != WRY_OK)
        return app_fail_session(app, status);
    if (c->differs)
        flash_map_print(c->map, app);
    if (c->differs)
        return app_fail(app, EXIT_DIFFERS, mends,
                        "the flash differs from %s, first at offset 0x%06X", what,
                        (unsigned)c->first);
    app_outcome(app, true, "Verified: the flash holds %s.", what);
    return EXIT_DONE;
}

static int verify_archive(struct app *app, struct comparison *c, const char *path)
{
    GError *error = NULL;
    struct archive *archive = archive_open(path, &error);
    enum wry_status status = WRY_OK;

    if (!archive)
        return app_fail_error(app, error);
    int code = link_connect(app);
    struct target target = regions_target(app);
    if (code == EXIT_DONE)
        code = regions_load(app, &target);
    if (code == EXIT_DONE)
        code = archives_check_flash(app, archive, path);
    if (code == EXIT_DONE) {
        archives_note_other_board(app, archive);
        json_builder_set_member_name(app->json, "ranges");
        json_builder_begin_array(app->json);
        status = compare_archive(app, c, archive);
        json_builder_end_array(app->json);
        code = conclude(app, c, status, "what is in the archive",
                        "'wrytograph restore' with the same archive mends it.");
    }
    archive_free(archive);
    return code;
}

static int verify_images(struct app *app, struct comparison *c, struct placements *placements)
{
    int code = placements_prepare(app, placements, PLACEMENTS_COMPARE);

    if (code != EXIT_DONE)
        return code;
    json_builder_set_member_name(app->json, "images");
    json_builder_begin_array(app->json);
    enum wry_status status = compare_images(app, c, placements);
    json_builder_end_array(app->json);
    return conclude(app, c, status, placements->image_count == 1 ? "the image" : "all the images",
                    "'wrytograph write' with the same arguments mends it.");
}

int verb_verify(struct app *app, int argc, char **argv)
{
    gboolean read_back = FALSE;
    GOptionEntry entries[] = {{"read-back", 0, 0, G_OPTION_ARG_NONE, &read_back,
                               "Read everything and compare bytes, instead of digests", NULL},
                              G_OPTION_ENTRY_NULL};
    struct placements placements = {0};
    struct comparison c = {0};
    int code;

    if (!app_parse(app, argc, argv, APP_LINK | APP_IMAGES, entries, "PLACEMENT… | ARCHIVE",
                   "Compares images, or a backup archive, with the flash by the board's SHA-256,\n"
                   "and says and draws where they differ. Changes nothing. Exit code 6 when\n"
                   "anything differs. The flash size in boot headers is compared as write sets "
                   "it."))
        return app->code;
    c.method = read_back ? WRY_VERIFY_READ_BACK : WRY_VERIFY_DIGEST;
    if (app->rest[0] && !app->rest[1] && archive_is_one(app->rest[0]))
        code = verify_archive(app, &c, app->rest[0]);
    else
        code = verify_images(app, &c, &placements);
    if (c.map)
        flash_map_free(c.map);
    placements_free(&placements);
    return code;
}
