/* The links to run a card on. */
#include <string.h>

#include "card_verb.h"
#include "wrytograph-host/serial.h"
#include "wrytograph-host/text_file.h"

static bool add(struct app *app, GPtrArray *links, const char *link)
{
    if (g_ptr_array_find_with_equal_func(links, link, g_str_equal, NULL)) {
        app_fail(app, EXIT_USAGE, "Give each link once.", "the link %s was given twice", link);
        return false;
    }
    g_ptr_array_add(links, g_strdup(link));
    return true;
}

/* Reads a file with one link per line; text after '#' is a comment. */
static bool add_file(struct app *app, GPtrArray *links, const char *path)
{
    g_autoptr(GError) error = NULL;
    size_t n = 0;
    g_autofree char *text = wry_text_file_read(path, WRY_TEXT_FILE_PLAIN, &n, &error);
    g_auto(GStrv) lines = text ? g_strsplit(text, "\n", -1) : NULL;
    bool good = true;

    if (!text) {
        app_fail(app, EXIT_BAD_INPUT, "It has one link per line.", "%s", error->message);
        return false;
    }
    for (char **line = lines; *line && good; line++) {
        char *comment = strchr(*line, '#');
        if (comment)
            *comment = '\0';
        g_strstrip(*line);
        if (**line != '\0')
            good = add(app, links, *line);
    }
    if (good && links->len == 0) {
        app_fail(app, EXIT_BAD_INPUT, "Write one link per line.", "%s names no link", path);
        return false;
    }
    return good;
}

static bool is_of_type(const struct wry_serial_device *device, const char *type)
{
    g_autofree char *ids =
        g_strdup_printf("%04X:%04X", (unsigned)device->usb_vendor, (unsigned)device->usb_product);

    return device->usb_vendor > 0 &&
           (strcmp(type, "all") == 0 || g_ascii_strcasecmp(type, ids) == 0);
}

static bool add_adapters(struct app *app, GPtrArray *links, const char *type)
{
    g_autoptr(GPtrArray) devices = wry_serial_devices();
    bool good = true;

    for (guint i = 0; i < devices->len && good; i++) {
        const struct wry_serial_device *device = g_ptr_array_index(devices, i);
        if (is_of_type(device, type))
            good = add(app, links, device->path);
    }
    if (good && links->len == 0) {
        app_fail(app, EXIT_USAGE, "'wrytograph ports' lists the ports.",
                 "no port has an adapter of type %s", type);
        return false;
    }
    return good;
}

GPtrArray *card_links(struct app *app, const struct card_options *options)
{
    GPtrArray *links = g_ptr_array_new_with_free_func(g_free);
    bool good = true;

    for (char **link = app->links; link && *link && good; link++)
        good = add(app, links, *link);
    if (good && options->links)
        good = add_file(app, links, options->links);
    if (good && options->adapters)
        good = add_adapters(app, links, options->adapters);
    if (good)
        return links;
    g_ptr_array_unref(links);
    return NULL;
}
