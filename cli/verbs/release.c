/* Releases. */
#include "release.h"

#include <glib/gstdio.h>
#include <string.h>

#include "views/explain.h"
#include "views/shelf_table.h"
#include "wrytograph-host/atomic_file.h"
#include "wrytograph-host/card.h"
#include "wrytograph-host/shelf.h"
#include "wrytograph/layout.h"
#include "wrytograph/region_table.h"

#define BACKUP_MEMBER "board.json"
#define KIT_MEMBER "kit.json"

enum {
    END_MOST = 65536, /* bytes of a ZIP that are looked at */
};

/* What is taken for a region. */
struct choice {
    const struct wry_shelf_item *item;
    const char *region;
};

struct expansion {
    struct app *app;
    const struct wry_images_options *options;
    struct release *release;
    const char *path;         /* of the release */
    struct shelf_board board; /* to judge by */
    GPtrArray *refused;       /* texts of files that are no images */
    GArray *images;           /* struct wry_image_options */
};

/* The end of a ZIP has the names of its members. A backup and a kit are ZIP files, too; a damaged
 * one is to be reported as what it is. */
static bool has_member(const char *path, const char *name)
{
    g_autoptr(GMappedFile) map = g_mapped_file_new(path, FALSE, NULL);
    gsize n = map ? g_mapped_file_get_length(map) : 0, from = n > END_MOST ? n - END_MOST : 0;

    return n > 0 && memmem(g_mapped_file_get_contents(map) + from, n - from, name, strlen(name));
}

static bool is_plain_zip(const char *path)
{
    /* wry_card_is_kit is true for any ZIP. */
    return wry_card_is_kit(path) && !has_member(path, BACKUP_MEMBER) &&
           !has_member(path, KIT_MEMBER);
}

bool release_is_one(const char *file)
{
    return !g_str_has_prefix(file, "shelf:") &&
           (g_file_test(file, G_FILE_TEST_IS_DIR) || is_plain_zip(file));
}

static bool is_release(const struct wry_image_options *image)
{
    return !image->place && release_is_one(image->file);
}

/* Archives that other verbs are for. */
static int check_archive(struct app *app, const struct wry_image_options *image)
{
    const char *file = image->file;
    bool is_zip = !image->place && !g_str_has_prefix(file, "shelf:") && wry_card_is_kit(file);

    if (is_zip && has_member(file, BACKUP_MEMBER))
        return app_fail(app, EXIT_BAD_INPUT, "'wrytograph restore' writes it back.",
                        "%s is a backup, not an image", file);
    if (is_zip && has_member(file, KIT_MEMBER))
        return app_fail(app, EXIT_BAD_INPUT, "'wrytograph card run' runs it.",
                        "%s is a kit, not an image", file);
    return EXIT_DONE;
}

/* The board. */

static int find_board(struct app *app, const struct wry_images_options *options,
                      struct shelf_board *board)
{
    struct wry_identity identity = {0};

    if (options->chip) {
        *board = (struct shelf_board){
            .known = true, .chip = options->chip, .flash_size = options->flash_size};
        wry_layout_built_in(&board->layout, board->chip, board->flash_size);
        return EXIT_DONE;
    }
    enum wry_outcome outcome = wry_station_identify(app->station, false, &identity);
    *board = (struct shelf_board){.known = identity.known,
                                  .chip = identity.chip,
                                  .flash_size = identity.board.capacity,
                                  .layout = identity.layout.table};
    wry_identity_clear(&identity);
    return station_conclude(app, outcome);
}

/* What is in the release. */

static void take_report(void *context, const struct wry_shelf_report *report)
{
    struct expansion *e = context;

    if (report->outcome == WRY_SHELF_REFUSED)
        g_ptr_array_add(e->refused, g_strdup_printf("%s: %s", report->path, report->reason));
}

static const char *why_not(enum wry_shelf_fit fit)
{
    switch (fit) {
    case WRY_SHELF_OTHER_CHIP:
        return "it is for another chip";
    case WRY_SHELF_LARGER_FLASH:
        return "it is for more flash";
    case WRY_SHELF_TOO_LARGE:
        return "it is larger than its region";
    case WRY_SHELF_FOR_MODULE:
        return "it is for a module behind the board";
    default:
        return "the flash has no region of its kind";
    }
}

static enum wry_shelf_fit judge(const struct expansion *e, const struct wry_shelf_item *item,
                                const struct wry_region **region)
{
    enum wry_shelf_fit fit =
        wry_shelf_judge(item, e->board.chip, e->board.flash_size, &e->board.layout, region);

    /* A table is for one size of flash. */
    return fit == WRY_SHELF_FITS && item->is_table && item->flash_size != e->board.flash_size
               ? WRY_SHELF_NO_REGION
               : fit;
}

/* A region table of the release moves the regions of its images. */
static void take_layout(struct expansion *e, const GPtrArray *items)
{
    const struct wry_shelf_item *found = NULL;
    struct wry_region_table table;
    const struct wry_region *region;
    g_autofree char *bytes = NULL;
    gsize n = 0;
    guint count = 0;

    for (guint i = 0; i < items->len; i++) {
        const struct wry_shelf_item *item = g_ptr_array_index(items, i);
        if (!item->is_table || judge(e, item, &region) != WRY_SHELF_FITS)
            continue;
        found = item;
        count++;
    }
    if (count == 1 && g_file_get_contents(found->path, &bytes, &n, NULL) &&
        wry_region_table_get(&table, (const uint8_t *)bytes, n))
        e->board.layout = table;
}

/* Regions that the command line gives a file for are not taken from the release. */
static bool is_given(const struct expansion *e, const char *region)
{
    for (size_t i = 0; i < e->options->image_count; i++) {
        if (g_strcmp0(e->options->images[i].place, region) == 0)
            return true;
    }
    return false;
}

static char *title_of(const struct wry_shelf_item *item)
{
    return g_strconcat(item->name, item->version[0] ? " " : "", item->version, NULL);
}

static void tell_left_out(const struct expansion *e, const struct wry_shelf_item *item,
                          const char *why)
{
    g_autofree char *title = title_of(item);

    app_note(e->app, "  not taken  %s (%s): %s", item->file, title, why);
}

/* Finds the images that fit; those that do not are listed. */
static GArray *choose(const struct expansion *e, const GPtrArray *items)
{
    GArray *choices = g_array_new(FALSE, FALSE, sizeof(struct choice));

    for (guint i = 0; i < items->len; i++) {
        const struct wry_shelf_item *item = g_ptr_array_index(items, i);
        const struct wry_region *region = NULL;
        enum wry_shelf_fit fit = judge(e, item, &region);
        struct choice choice = {item, region ? region->name : NULL};
        if (fit != WRY_SHELF_FITS)
            tell_left_out(e, item, why_not(fit));
        else if (!item->is_table && item->kind == WRY_PROGRAM_UNSAID)
            tell_left_out(e, item, "its header does not tell its region");
        else if (is_given(e, region->name))
            tell_left_out(e, item, "another file is given for its region");
        else
            g_array_append_val(choices, choice);
    }
    return choices;
}

/* Several images for one region: they are named, and nothing is written. */
static int fail_ambiguous(const struct expansion *e, const GArray *choices, const char *region)
{
    GString *names = g_string_new(NULL);

    for (guint i = 0; i < choices->len; i++) {
        const struct choice *choice = &g_array_index(choices, struct choice, i);
        g_autofree char *title = title_of(choice->item);
        if (strcmp(choice->region, region) == 0)
            g_string_append_printf(names, "%s%s (%s)", names->len > 0 ? ", " : "",
                                   choice->item->file, title);
    }
    g_autofree char *text = g_string_free(names, FALSE);
    g_autofree char *next = g_strdup_printf(
        "Nothing was changed. Unpack it, and add %s=FILE for the right one.", region);
    return app_fail(e->app, EXIT_USAGE, next, "%s has several images for region '%s': %s", e->path,
                    region, text);
}

static int check_choices(const struct expansion *e, const GArray *choices)
{
    for (guint i = 0; i < choices->len; i++) {
        const struct choice *one = &g_array_index(choices, struct choice, i);
        for (guint k = 0; k < i; k++) {
            if (strcmp(g_array_index(choices, struct choice, k).region, one->region) == 0)
                return fail_ambiguous(e, choices, one->region);
        }
    }
    return choices->len > 0
               ? EXIT_DONE
               : app_fail(e->app, EXIT_WRONG,
                          "Nothing was changed. 'wrytograph inspect' shows what a file is.",
                          "%s has no image for this board", e->path);
}

/* Renames an image to its original file name, in a new folder. */
static int take(struct expansion *e, const struct choice *choice)
{
    g_autofree char *folder =
        g_strdup_printf("%s/%u", e->release->folder, e->release->strings->len);
    g_autofree char *title = title_of(choice->item);
    char *path = g_build_filename(folder, choice->item->file, NULL);
    char *region = g_strdup(choice->region);
    const struct wry_image_options image = {.file = path, .place = region};

    g_ptr_array_add(e->release->strings, path);
    g_ptr_array_add(e->release->strings, region);
    if (g_mkdir(folder, 0700) != 0 || g_rename(choice->item->path, path) != 0)
        return app_fail(e->app, EXIT_INTERNAL, NULL, "%s: cannot be unpacked", e->path);
    g_array_append_val(e->images, image);
    app_note(e->app, "  taken      %s (%s) for region %s", choice->item->file, title, region);
    return EXIT_DONE;
}

static int expand(struct expansion *e)
{
    GError *error = NULL;
    g_autofree char *shelf = g_strdup_printf("%s/shelf-%u", e->release->folder, e->images->len);
    g_autoptr(GPtrArray) items = NULL;

    if (!wry_shelf_add(shelf, e->path, take_report, e, &error) ||
        !(items = wry_shelf_items(shelf, &error)))
        return explain_error(e->app, error);
    app_note(e->app, "In %s:", e->path);
    for (guint i = 0; i < e->refused->len; i++)
        app_note(e->app, "  not taken  %s", (const char *)g_ptr_array_index(e->refused, i));
    take_layout(e, items);
    g_autoptr(GArray) choices = choose(e, items);
    int code = check_choices(e, choices);
    for (guint i = 0; i < choices->len && code == EXIT_DONE; i++)
        code = take(e, &g_array_index(choices, struct choice, i));
    return code;
}

int release_expand(struct app *app, struct wry_images_options *options, struct release *release)
{
    struct expansion e = {.app = app, .options = options, .release = release};
    GError *error = NULL;
    bool any = false;
    int code = EXIT_DONE;

    for (size_t i = 0; i < options->image_count && code == EXIT_DONE; i++) {
        code = check_archive(app, &options->images[i]);
        any = any || is_release(&options->images[i]);
    }
    if (!any || code != EXIT_DONE)
        return code;
    release->folder = wry_temporary_folder("release", &error);
    if (!release->folder)
        return explain_error(app, error);
    release->strings = g_ptr_array_new_with_free_func(g_free);
    e.refused = g_ptr_array_new_with_free_func(g_free);
    e.images = g_array_new(FALSE, TRUE, sizeof(struct wry_image_options));
    code = find_board(app, options, &e.board);
    for (size_t i = 0; i < options->image_count && code == EXIT_DONE; i++) {
        e.path = options->images[i].file;
        if (is_release(&options->images[i]))
            code = expand(&e);
        else
            g_array_append_val(e.images, options->images[i]);
        g_ptr_array_set_size(e.refused, 0);
    }
    g_ptr_array_unref(e.refused);
    /* The arguments themselves stay with the options' owner. */
    if (code == EXIT_DONE) {
        options->image_count = e.images->len;
        g_free((struct wry_image_options *)options->images);
        options->images = (struct wry_image_options *)(void *)g_array_free(e.images, FALSE);
    } else {
        g_array_unref(e.images);
    }
    return code;
}

static void remove_folder(const char *path)
{
    g_autoptr(GDir) folder = g_dir_open(path, 0, NULL);

    for (const char *name; folder && (name = g_dir_read_name(folder));) {
        g_autofree char *inner = g_build_filename(path, name, NULL);
        if (g_file_test(inner, G_FILE_TEST_IS_DIR))
            remove_folder(inner);
        else
            g_unlink(inner);
    }
    g_rmdir(path);
}

void release_clear(struct release *release)
{
    if (release->folder)
        remove_folder(release->folder);
    if (release->strings)
        g_ptr_array_unref(release->strings);
    g_free(release->folder);
}
