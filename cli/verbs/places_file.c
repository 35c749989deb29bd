/* Tables of places. */
#include "places_file.h"

#include <string.h>

#include "views/explain.h"
#include "wrytograph-host/text_file.h"
#include "wrytograph-host/units.h"

static int fail_line(struct app *app, unsigned line, const char *what)
{
    return app_fail(app, EXIT_BAD_INPUT,
                    "A line has an offset or region and a file: '0x4000 start.bin'; '#' begins a "
                    "comment.",
                    "%s:%u: %s", app->places, line, what);
}

/* Splits "PLACE FILE"; the file may have spaces in its name. */
static int add_line(struct app *app, char *text, unsigned number, const char *folder,
                    GPtrArray *arguments)
{
    char *file = text + strcspn(text, " \t=");

    if (*file == '=')
        return fail_line(app, number, "'=' does not belong here");
    if (*file == '\0')
        return fail_line(app, number, "there is no file");
    *file++ = '\0';
    g_strstrip(file);
    /* A number first means an offset: a mistyped one must not become a region's name. */
    uint32_t offset;
    if (g_ascii_isdigit(text[0]) && !wry_units_parse_offset(text, &offset))
        return fail_line(app, number, "this is not an offset");
    g_autofree char *path =
        g_path_is_absolute(file) ? g_strdup(file) : g_build_filename(folder, file, NULL);
    if (!g_file_test(path, G_FILE_TEST_EXISTS)) {
        g_autofree char *what = g_strdup_printf("there is no file %s", path);
        return fail_line(app, number, what);
    }
    g_ptr_array_add(arguments, g_strconcat(text, "=", path, NULL));
    return EXIT_DONE;
}

int places_file_add(struct app *app)
{
    GError *error = NULL;
    size_t n = 0;
    int code = EXIT_DONE;

    if (!app->places)
        return EXIT_DONE;
    g_autofree char *text = wry_text_file_read(app->places, WRY_TEXT_FILE_PLAIN, &n, &error);
    if (!text)
        return explain_error(app, error);
    g_autofree char *folder = g_path_get_dirname(app->places);
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    GPtrArray *arguments = g_ptr_array_new();
    for (char **argument = app->rest; *argument; argument++)
        g_ptr_array_add(arguments, *argument);
    guint given = arguments->len;
    for (unsigned i = 0; lines[i] && code == EXIT_DONE; i++) {
        char *comment = strchr(lines[i], '#');
        if (comment)
            *comment = '\0';
        g_strstrip(lines[i]);
        if (lines[i][0] != '\0')
            code = add_line(app, lines[i], i + 1, folder, arguments);
    }
    if (code == EXIT_DONE && arguments->len == given)
        code = app_fail(app, EXIT_BAD_INPUT, "Write an offset and a file on each line.",
                        "%s names no image", app->places);
    g_ptr_array_add(arguments, NULL);
    g_free(app->rest);
    app->rest = (char **)g_ptr_array_free(arguments, FALSE);
    return code;
}
