/* Which USB adapter a device is. */
#include "usb_place.h"
#include "base/folder_names.h"

#include <stdbool.h>
#include <stdlib.h>
#include <string.h>

#define TERMINALS "/sys/class/tty"

struct usb_place {
    char *kind;      /* vendor and product, "0403:6001" */
    char *serial;    /* serial number; "" if it has none */
    char *port;      /* where it is plugged in, in the system's notation: "1-2.3" */
    char *interface; /* interface of the device, "00": an adapter with several ports has one for
                        each */
};

static char *read_fact(const char *folder, const char *fact)
{
    g_autofree char *path = g_build_filename(folder, fact, NULL);
    char *text = NULL;

    return g_file_get_contents(path, &text, NULL, NULL) ? g_strstrip(text) : NULL;
}

/* The nearest parent folder with this attribute; NULL if there is none. Free with g_free. */
static char *above(const char *folder, const char *fact)
{
    char *at = g_strdup(folder);

    while (strlen(at) > 1) {
        g_autofree char *path = g_build_filename(at, fact, NULL);
        if (g_file_test(path, G_FILE_TEST_EXISTS))
            return at;
        char *up = g_path_get_dirname(at);
        g_free(at);
        at = up;
    }
    g_free(at);
    return NULL;
}

static struct usb_place *place_of_terminal(const char *name)
{
    g_autofree char *link = g_build_filename(TERMINALS, name, "device", NULL);
    char *real = realpath(link, NULL);
    g_autofree char *interface = real ? above(real, "bInterfaceNumber") : NULL;
    g_autofree char *device = real ? above(real, "idVendor") : NULL;

    free(real);
    if (!interface || !device)
        return NULL;
    struct usb_place *place = g_new0(struct usb_place, 1);
    g_autofree char *vendor = read_fact(device, "idVendor");
    g_autofree char *product = read_fact(device, "idProduct");
    char *serial = read_fact(device, "serial");
    place->kind = g_strdup_printf("%s:%s", vendor ? vendor : "", product ? product : "");
    place->serial = serial ? serial : g_strdup("");
    place->port = g_path_get_basename(device);
    place->interface = read_fact(interface, "bInterfaceNumber");
    return place;
}

struct usb_place *usb_place_of(const char *device)
{
    g_autofree char *name = g_path_get_basename(device);

    return g_str_has_prefix(device, "/dev/") ? place_of_terminal(name) : NULL;
}

void usb_place_free(struct usb_place *place)
{
    if (!place)
        return;
    g_free(place->kind);
    g_free(place->serial);
    g_free(place->port);
    g_free(place->interface);
    g_free(place);
}

/* 0: another adapter; 1: the same by serial number, or by place if it has none; 2: the same by
 * both. */
static int alike(const struct usb_place *a, const struct usb_place *b)
{
    if (strcmp(a->kind, b->kind) != 0 || g_strcmp0(a->interface, b->interface) != 0 ||
        strcmp(a->serial, b->serial) != 0)
        return 0;
    bool same_port = strcmp(a->port, b->port) == 0;
    return same_port ? 2 : a->serial[0] != '\0' ? 1 : 0;
}

char *usb_place_find(const struct usb_place *place)
{
    g_auto(GStrv) terminals = folder_names(TERMINALS, NULL);
    char *found = NULL;
    int best = 0;
    bool several = false;

    for (char **name = terminals; name && *name; name++) {
        struct usb_place *other = place_of_terminal(*name);
        int score = other ? alike(place, other) : 0;
        usb_place_free(other);
        several = score > 0 && score == best ? true : score > best ? false : several;
        if (score <= best)
            continue;
        best = score;
        g_free(found);
        found = g_build_filename("/dev", *name, NULL);
    }
    if (several)
        g_clear_pointer(&found, g_free);
    return found;
}

char *usb_place_name(const struct usb_place *place)
{
    return g_strdup_printf("%s/%s/%s", place->kind, place->serial[0] ? place->serial : place->port,
                           place->interface ? place->interface : "");
}
