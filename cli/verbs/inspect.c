/* inspect: what a file contains, without a board. */
#include <json-glib/json-glib.h>
#include <string.h>

#include "card_verb.h"
#include "station_options.h"
#include "verbs.h"
#include "views/card_view.h"
#include "views/explain.h"
#include "views/inspection.h"
#include "views/json.h"

enum {
    DEPTH_MOST = 32,
};

static int inspect_card(struct app *app, const char *path)
{
    struct wry_card *card;

    json_add(app->json, json_text("file", path));
    card = card_open_from(app, path, NULL);
    if (!card)
        return app->code;
    card_view_show(app, card);
    wry_card_close(card);
    return EXIT_DONE;
}

static int inspect_file(struct app *app, const char *path, const enum wry_image_format *format)
{
    struct wry_inspection inspection = {0};
    GError *error = NULL;
    int code = EXIT_DONE;

    if (!format && wry_file_kind_of(path) == WRY_FILE_CARD)
        return inspect_card(app, path);
    json_add(app->json, json_text("file", path));
    if (wry_inspect_file(path, format, &inspection, &error)) {
        inspection_show(app, &inspection);
        if (!inspection.whole)
            code = app_fail(app, EXIT_BAD_INPUT, "Build or download the image again.",
                            "%s is damaged", path);
    } else {
        code = explain_error(app, error);
    }
    wry_inspection_clear(&inspection);
    return code;
}

static int by_name(const void *a, const void *b)
{
    return strcmp(*(const char *const *)a, *(const char *const *)b);
}

/* Collects files and the files of folders, sorted by name. */
static int gather(struct app *app, const char *path, GPtrArray *files, unsigned depth)
{
    g_autoptr(GPtrArray) names = g_ptr_array_new_with_free_func(g_free);
    GError *error = NULL;
    const char *name;
    int code = EXIT_DONE;

    if (!g_file_test(path, G_FILE_TEST_IS_DIR) || depth == DEPTH_MOST) {
        g_ptr_array_add(files, g_strdup(path));
        return code;
    }
    GDir *dir = g_dir_open(path, 0, &error);
    if (!dir)
        return explain_error(app, error);
    while ((name = g_dir_read_name(dir)))
        g_ptr_array_add(names, g_build_filename(path, name, NULL));
    g_dir_close(dir);
    g_ptr_array_sort(names, by_name);
    for (guint i = 0; i < names->len && code == EXIT_DONE; i++)
        code = gather(app, g_ptr_array_index(names, i), files, depth + 1);
    return code;
}

/* Inspects every file, whatever the result of others; returns the last failure. */
static int inspect_all(struct app *app, const GPtrArray *files, const enum wry_image_format *format)
{
    int code = EXIT_DONE;

    json_begin_list(app->json, "files");
    for (guint i = 0; i < files->len; i++) {
        const char *path = g_ptr_array_index(files, i);
        app_print(app, "%s%s:", i > 0 ? "\n" : "", path);
        json_builder_begin_object(app->json);
        int result = inspect_file(app, path, format);
        if (result != EXIT_DONE) {
            app_print(app, "%s", app->message);
            json_add(app->json, json_text("error", app->message));
            code = result;
        }
        json_builder_end_object(app->json);
    }
    json_builder_end_array(app->json);
    return code;
}

static int inspect(struct app *app, const enum wry_image_format *format)
{
    g_autoptr(GPtrArray) files = g_ptr_array_new_with_free_func(g_free);
    bool one = !app->rest[1] && !g_file_test(app->rest[0], G_FILE_TEST_IS_DIR);
    int code = EXIT_DONE;

    for (char **path = app->rest; *path && code == EXIT_DONE; path++)
        code = gather(app, *path, files, 0);
    if (code != EXIT_DONE)
        return code;
    if (files->len == 0)
        return app_fail(app, EXIT_BAD_INPUT, NULL, "%s: there is no file in it", app->rest[0]);
    return one ? inspect_file(app, g_ptr_array_index(files, 0), format)
               : inspect_all(app, files, format);
}

static int run(struct app *app, void *values)
{
    const enum wry_image_format *format;

    (void)values;
    if (!app->rest[0])
        return app_fail(app, EXIT_USAGE, "Such as 'wrytograph inspect gauge.bin'.",
                        "give a file to inspect, or several, or a folder");
    int code = station_parse_format(app, &format);
    return code == EXIT_DONE ? inspect(app, format) : code;
}

const struct verb verb_inspect = {
    .name = "inspect",
    .summary = "show what a file contains, without a board",
    .usage = "FILE|FOLDER…",
    .examples = {"wrytograph inspect gauge.bin", "wrytograph inspect release/ gauge-1.zip"},
    .description =
        "Shows the content of images, backup archives, cards, kits, and layout, settings\n"
        "and steps files (.yaml), and checks that they are undamaged.",
    .options = APP_FORMAT,
    .run = run,
};
