/* ports: which serial ports there are, and which one appears. */
#include <json-glib/json-glib.h>
#include <string.h>

#include "values.h"
#include "verbs.h"
#include "views/json.h"
#include "views/table.h"
#include "wrytograph-host/serial.h"

struct ports_options {
    gboolean appearing;
    char *wait;
};

#define LOOK_EVERY 200000                /* us */
#define WAIT_TIME 60000000u              /* us, default time */
#define DRIVER_TIME (2 * G_USEC_PER_SEC) /* us for a driver to create a port for a device */

static void add_device(struct app *app, struct table *table, const struct wry_serial_device *device)
{
    g_autofree char *usb = device->usb_vendor > 0
                               ? g_strdup_printf("%04X:%04X", (unsigned)device->usb_vendor,
                                                 (unsigned)device->usb_product)
                               : g_strdup("-");

    g_autofree char *state = device->problem  ? g_strdup(device->problem)
                             : device->holder ? g_strdup_printf("held by %s", device->holder)
                                              : g_strdup("ready");

    table_row(table, device->path, usb, device->serial ? device->serial : "-",
              device->description ? device->description : "-", state, NULL);
    if (device->link) {
        g_autofree char *also = g_strdup_printf("also %s", device->link);
        table_row(table, "", "", "", "", also, NULL);
    }
    json_add_object(
        app->json, json_text("path", device->path),
        json_text("description", device->description ? device->description : ""),
        json_text("usb_ids", usb), json_text("serial_number", device->serial ? device->serial : ""),
        json_flag("can_be_opened", device->problem == NULL), json_text("link", device->link),
        json_text("problem", device->problem), json_text("holder", device->holder));
}

static void show(struct app *app, const struct wry_serial_device *const *devices, guint n)
{
    struct table *table = table_new(app, "device", "USB ids", "serial", "adapter", "state", NULL);

    json_begin_list(app->json, "ports");
    for (guint i = 0; i < n; i++)
        add_device(app, table, devices[i]);
    json_builder_end_array(app->json);
    table_end(table, false);
}

static int list(struct app *app)
{
    g_autoptr(GPtrArray) devices = wry_serial_devices();

    show(app, (const struct wry_serial_device *const *)devices->pdata, devices->len);
    if (devices->len == 0)
        app_print(app, "No serial port was found. Plug the adapter in; if it still does not "
                       "appear, its driver is missing or the cable only charges.\n"
                       "'wrytograph ports --appearing' waits for it.");
    return EXIT_DONE;
}

/* The ports and USB devices at one moment. */
struct sight {
    GPtrArray *ports, *usb;
};

static struct sight look(void)
{
    return (struct sight){.ports = wry_serial_devices(), .usb = wry_usb_devices()};
}

static void forget(struct sight *sight)
{
    g_ptr_array_unref(sight->ports);
    g_ptr_array_unref(sight->usb);
}

static bool has_port(const GPtrArray *ports, const char *path)
{
    for (guint i = 0; i < ports->len; i++) {
        const struct wry_serial_device *device = g_ptr_array_index(ports, i);
        if (strcmp(device->path, path) == 0)
            return true;
    }
    return false;
}

static bool has_usb(const GPtrArray *usb, const struct wry_usb_device *device)
{
    for (guint i = 0; i < usb->len; i++) {
        const struct wry_usb_device *other = g_ptr_array_index(usb, i);
        if (strcmp(other->place, device->place) == 0 && other->vendor == device->vendor &&
            other->product == device->product)
            return true;
    }
    return false;
}

/* The first new port; NULL if there is none. */
static const struct wry_serial_device *find_port(const struct sight *before,
                                                 const struct sight *now)
{
    for (guint i = 0; i < now->ports->len; i++) {
        const struct wry_serial_device *device = g_ptr_array_index(now->ports, i);
        if (!has_port(before->ports, device->path))
            return device;
    }
    return NULL;
}

static const struct wry_usb_device *find_usb(const struct sight *before, const struct sight *now)
{
    for (guint i = 0; i < now->usb->len; i++) {
        const struct wry_usb_device *device = g_ptr_array_index(now->usb, i);
        if (!has_usb(before->usb, device))
            return device;
    }
    return NULL;
}

/* A new USB device for which no driver has created a port. */
struct silent {
    char *words; /* NULL: none */
    int64_t since;
    bool told;
};

static void watch_usb(struct app *app, struct silent *silent, const struct sight *before,
                      const struct sight *now)
{
    const struct wry_usb_device *device = find_usb(before, now);
    int64_t time = g_get_monotonic_time();

    if (!device) {
        g_clear_pointer(&silent->words, g_free);
        return;
    }
    if (!silent->words) {
        silent->words =
            g_strdup_printf("%04X:%04X%s%s", (unsigned)device->vendor, (unsigned)device->product,
                            device->name[0] ? " " : "", device->name);
        silent->since = time;
    }
    if (silent->told || time < silent->since + DRIVER_TIME)
        return;
    silent->told = true;
    app_note(app,
             "A USB device appeared (%s), but no serial port: its driver is missing, or it is not "
             "a serial adapter.",
             silent->words);
}

static int fail_late(struct app *app, const struct silent *silent, uint64_t wait)
{
    if (silent->words)
        return app_fail(app, EXIT_NO_ANSWER,
                        "Its driver is missing, or it is not a serial adapter: see 'dmesg'.",
                        "the USB device %s appeared, but no serial port", silent->words);
    return app_fail(app, EXIT_NO_ANSWER,
                    "A cable that only charges shows nothing at all: try another one, and another "
                    "socket.",
                    "no serial port appeared in %g s, and no USB device either",
                    (double)wait / 1e6);
}

/* Unplugged devices may come back under the same name. */
static void take_fewer(struct sight *before, struct sight *now)
{
    if (now->ports->len >= before->ports->len && now->usb->len >= before->usb->len) {
        forget(now);
        return;
    }
    forget(before);
    *before = *now;
}

static int wait_for_one(struct app *app, uint64_t wait)
{
    struct sight before = look();
    struct silent silent = {0};
    int64_t end = g_get_monotonic_time() + (int64_t)wait;
    int code = -1;

    app_interrupted(); /* from here on Ctrl-C is heard */
    app_note(app, "Plug the adapter in now (if it is in, unplug it first); Ctrl-C stops.");
    while (code < 0) {
        struct sight now = look();
        const struct wry_serial_device *device = find_port(&before, &now);
        watch_usb(app, &silent, &before, &now);
        if (device) {
            show(app, &device, 1);
            app_note(app, "Use it with --link %s", device->path);
            code = EXIT_DONE;
        } else if (app_interrupted()) {
            code = app_fail(app, EXIT_STOPPED, NULL, "stopped at your request; no port appeared");
        } else if (g_get_monotonic_time() >= end) {
            code = fail_late(app, &silent, wait);
        }
        take_fewer(&before, &now);
        if (code < 0)
            g_usleep(LOOK_EVERY);
    }
    forget(&before);
    g_free(silent.words);
    return code;
}

static int run(struct app *app, void *values)
{
    const struct ports_options *options = values;
    uint64_t time = WAIT_TIME;
    int code = values_time(app, "--wait", options->wait, &time);

    if (code != EXIT_DONE)
        return code;
    return options->appearing ? wait_for_one(app, time) : list(app);
}

#define AT(member) offsetof(struct ports_options, member)

static const struct option own[] = {
    OPTION(FLAG, "appearing", appearing, NULL,
           "Wait until an adapter is plugged in, and show its port"),
    OPTION(TEXT, "wait", wait, "TIME", "How long to wait for it; default 60s"),
    {.name = NULL},
};

const struct verb verb_ports = {
    .name = "ports",
    .summary = "list serial ports, or wait for a new one",
    .usage = "",
    .examples = {"wrytograph ports", "wrytograph ports --appearing"},
    .usual = {"appearing", "wait"},
    .description =
        "Lists the serial ports: device, USB ids, serial number, adapter, and why one cannot\n"
        "be opened.",
    .options = APP_NO_WORDS,
    .own = own,
    .size = sizeof(struct ports_options),
    .run = run,
};
