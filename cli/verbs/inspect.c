/* inspect: what a file contains, without a board. */
#include "station.h"
#include "verbs.h"
#include "views/explain.h"
#include "views/inspection.h"
#include "views/json.h"

static int run(struct app *app, const char *path, const enum wry_image_format *format)
{
    struct wry_inspection inspection = {0};
    GError *error = NULL;
    int code = EXIT_DONE;

    json_add_text(app->json, "file", path);
    if (wry_inspect_file(path, format, &inspection, &error)) {
        inspection_print(app, &inspection);
        json_add_inspection(app->json, &inspection);
        if (!inspection.whole)
            code = app_fail(app, EXIT_BAD_INPUT, "Build or download the image again.",
                            "%s is damaged", path);
    } else {
        code = explain_error(app, error);
    }
    wry_inspection_clear(&inspection);
    return code;
}

int verb_inspect(struct app *app, int argc, char **argv)
{
    const enum wry_image_format *format;

    if (!app_parse(app, argc, argv, NULL))
        return app->code;
    if (!app->rest[0] || app->rest[1])
        return app_fail(app, EXIT_USAGE, "Such as 'wrytograph inspect gauge.bin'.",
                        "give one file to inspect");
    int code = station_parse_format(app, &format);
    return code == EXIT_DONE ? run(app, app->rest[0], format) : code;
}
