/* ports: which serial ports there are, and which one appears. */
#include <stdio.h>
#include <string.h>

#include "verbs.h"
#include "views/json.h"
#include "wrytograph-host/serial.h"

#define LOOK_EVERY 200000 /* us */

static void add_device(struct app *app, const struct wry_serial_device *device)
{
    g_autofree char *usb = device->usb_vendor > 0
                               ? g_strdup_printf("%04X:%04X", (unsigned)device->usb_vendor,
                                                 (unsigned)device->usb_product)
                               : g_strdup("-");

    app_print(app, "%-16s %-10s %-14s %-24s %s", device->path, usb,
              device->serial ? device->serial : "-",
              device->description ? device->description : "-",
              device->problem ? device->problem : "ready");
    json_builder_begin_object(app->json);
    json_add_text(app->json, "path", device->path);
    json_add_text(app->json, "description", device->description ? device->description : "");
    json_add_text(app->json, "usb_ids", usb);
    json_add_text(app->json, "serial_number", device->serial ? device->serial : "");
    json_add_boolean(app->json, "can_be_opened", device->problem == NULL);
    if (device->problem)
        json_add_text(app->json, "problem", device->problem);
    json_builder_end_object(app->json);
}

static int list(struct app *app)
{
    g_autoptr(GPtrArray) devices = wry_serial_devices();

    json_begin_list(app->json, "ports");
    if (devices->len > 0)
        app_print(app, "%-16s %-10s %-14s %-24s %s", "device", "USB ids", "serial", "adapter",
                  "state");
    for (guint i = 0; i < devices->len; i++)
        add_device(app, g_ptr_array_index(devices, i));
    json_builder_end_array(app->json);
    if (devices->len == 0)
        app_print(app, "There is no serial port. Plug the adapter in; if it still does not "
                       "appear, its driver is missing or the cable only charges.\n"
                       "'wrytograph ports --appearing' waits for it.");
    return EXIT_DONE;
}

static bool contains(const GPtrArray *devices, const char *path)
{
    for (guint i = 0; i < devices->len; i++) {
        const struct wry_serial_device *device = g_ptr_array_index(devices, i);
        if (strcmp(device->path, path) == 0)
            return true;
    }
    return false;
}

/* The first device of now that was not there before; NULL when there is none. */
static const struct wry_serial_device *find_new(const GPtrArray *before, const GPtrArray *now)
{
    for (guint i = 0; i < now->len; i++) {
        const struct wry_serial_device *device = g_ptr_array_index(now, i);
        if (!contains(before, device->path))
            return device;
    }
    return NULL;
}

static int wait_for_one(struct app *app)
{
    g_autoptr(GPtrArray) before = wry_serial_devices();

    app_note(app, "Plug the adapter in now (if it is in, unplug it first); Ctrl-C stops.");
    while (!app_interrupted()) {
        g_autoptr(GPtrArray) devices = wry_serial_devices();
        const struct wry_serial_device *device = find_new(before, devices);
        if (device) {
            json_begin_list(app->json, "ports");
            add_device(app, device);
            json_builder_end_array(app->json);
            app_note(app, "Use it with --link %s", device->path);
            return EXIT_DONE;
        }
        /* One that is unplugged may come back under the same name. */
        if (devices->len < before->len) {
            GPtrArray *fewer = g_ptr_array_ref(devices);
            g_ptr_array_unref(before);
            before = fewer;
        }
        g_usleep(LOOK_EVERY);
    }
    return app_fail(app, EXIT_STOPPED, NULL, "stopped at your request; no port appeared");
}

int verb_ports(struct app *app, int argc, char **argv)
{
    gboolean appearing = FALSE;
    GOptionEntry entries[] = {{"appearing", 0, 0, G_OPTION_ARG_NONE, &appearing,
                               "Wait until one is plugged in, and name it", NULL},
                              G_OPTION_ENTRY_NULL};

    if (!app_parse(app, argc, argv, entries))
        return app->code;
    return appearing ? wait_for_one(app) : list(app);
}
