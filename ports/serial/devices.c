/* The serial ports of this computer. */
#include <libserialport.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/folder_names.h"
#include "port_lock.h"
#include "serial_access.h"
#include "wrytograph-host/serial.h"

#define LASTING "/dev/serial/by-id"

static void free_device(void *item)
{
    struct wry_serial_device *device = item;

    g_free(device->path);
    g_free(device->description);
    g_free(device->serial);
    g_free(device->link);
    g_free(device->problem);
    g_free(device->holder);
    g_free(device);
}

static int by_path(const void *a, const void *b)
{
    const struct wry_serial_device *const *x = a, *const *y = b;

    return strcmp((*x)->path, (*y)->path);
}

/* The name in /dev/serial/by-id that points to the device; NULL if there is none. */
static char *lasting_name(const char *real)
{
    g_auto(GStrv) names = folder_names(LASTING, NULL);
    char *found = NULL;

    for (char **name = names; name && *name && !found; name++) {
        g_autofree char *link = g_build_filename(LASTING, *name, NULL);
        char *target = realpath(link, NULL);
        if (g_strcmp0(target, real) == 0)
            found = g_steal_pointer(&link);
        free(target);
    }
    return found;
}

/* Finds out why a device cannot be opened, without opening it, which would change its outputs. */
static void look_at(struct wry_serial_device *device)
{
    g_autoptr(GError) error = NULL;
    char *real = realpath(device->path, NULL);

    if (!serial_check_access(device->path, &error))
        device->problem = g_strdup(strchr(error->message, ':') + 2);
    if (real) {
        device->link = lasting_name(real);
        device->holder = port_lock_holder(real);
    }
    free(real);
}

static struct wry_serial_device *describe(const struct sp_port *port)
{
    struct wry_serial_device *device = g_new0(struct wry_serial_device, 1);

    device->path = g_strdup(sp_get_port_name(port));
    device->description = g_strdup(sp_get_port_description(port));
    device->serial = g_strdup(sp_get_port_usb_serial(port));
    sp_get_port_usb_vid_pid(port, &device->usb_vendor, &device->usb_product);
    look_at(device);
    return device;
}

/* Parses a line of the replacement list: PATH VENDOR:PRODUCT SERIAL DESCRIPTION, or PATH alone. */
static struct wry_serial_device *parse_line(const char *line)
{
    struct wry_serial_device *device = g_new0(struct wry_serial_device, 1);
    g_auto(GStrv) words = g_strsplit(line, " ", 4);
    guint n = g_strv_length(words);

    device->path = g_strdup(words[0]);
    if (n > 1)
        sscanf(words[1], "%4x:%4x", (unsigned *)&device->usb_vendor,
               (unsigned *)&device->usb_product);
    device->serial = g_strdup(n > 2 ? words[2] : NULL);
    device->description = g_strdup(n > 3 ? words[3] : NULL);
    look_at(device);
    return device;
}

static void read_stand_in(GPtrArray *devices, const char *path)
{
    g_autofree char *text = NULL;

    if (!g_file_get_contents(path, &text, NULL, NULL))
        return;
    g_auto(GStrv) lines = g_strsplit(text, "\n", -1);
    for (char **line = lines; *line; line++) {
        if ((*line)[0] != '\0')
            g_ptr_array_add(devices, parse_line(*line));
    }
}

static void read_system(GPtrArray *devices)
{
    struct sp_port **ports = NULL;

    if (sp_list_ports(&ports) != SP_OK)
        return;
    for (size_t i = 0; ports[i]; i++)
        g_ptr_array_add(devices, describe(ports[i]));
    sp_free_port_list(ports);
}

GPtrArray *wry_serial_devices(void)
{
    GPtrArray *devices = g_ptr_array_new_with_free_func(free_device);
    const char *stand_in = g_getenv("WRYTOGRAPH_DEVICES");

    if (stand_in && stand_in[0])
        read_stand_in(devices, stand_in);
    else
        read_system(devices);
    g_ptr_array_sort(devices, by_path);
    return devices;
}
