/* The USB devices of this computer. */
#include <string.h>

#include "base/folder_names.h"
#include "wrytograph-host/serial.h"

#define SYSTEM_FOLDER "/sys/bus/usb/devices"

enum {
    HUB_CLASS = 0x09, /* USB class codes, "Hub" */
};

static void free_device(void *item)
{
    struct wry_usb_device *device = item;

    g_free(device->place);
    g_free(device->name);
    g_free(device);
}

/* Reads an attribute of a device; NULL if it is missing. Free with g_free. */
static char *read_fact(const char *folder, const char *place, const char *fact)
{
    g_autofree char *path = g_build_filename(folder, place, fact, NULL);
    char *text = NULL;

    return g_file_get_contents(path, &text, NULL, NULL) ? g_strstrip(text) : NULL;
}

static int read_number(const char *folder, const char *place, const char *fact)
{
    g_autofree char *text = read_fact(folder, place, fact);

    return text ? (int)g_ascii_strtoull(text, NULL, 16) : 0;
}

static struct wry_usb_device *describe(const char *folder, const char *place)
{
    struct wry_usb_device *device = g_new0(struct wry_usb_device, 1);
    g_autofree char *maker = read_fact(folder, place, "manufacturer");
    g_autofree char *product = read_fact(folder, place, "product");

    device->place = g_strdup(place);
    device->vendor = read_number(folder, place, "idVendor");
    device->product = read_number(folder, place, "idProduct");
    device->name = g_strdup_printf("%s%s%s", maker ? maker : "", maker && product ? " " : "",
                                   product ? product : "");
    return device;
}

GPtrArray *wry_usb_devices(void)
{
    GPtrArray *devices = g_ptr_array_new_with_free_func(free_device);
    const char *stand_in = g_getenv("WRYTOGRAPH_USB");
    const char *folder = stand_in && stand_in[0] ? stand_in : SYSTEM_FOLDER;
    g_auto(GStrv) places = folder_names(folder, NULL);

    for (char **place = places; place && *place; place++) {
        /* Names with a colon are interfaces of a device. */
        if (!strchr(*place, ':') && read_number(folder, *place, "idVendor") > 0 &&
            read_number(folder, *place, "bDeviceClass") != HUB_CLASS)
            g_ptr_array_add(devices, describe(folder, *place));
    }
    return devices;
}
