/*
 * Identifies USB adapters by serial number and place, to find one again under another device name.
 */
#ifndef WRY_SERIAL_USB_PLACE_H
#define WRY_SERIAL_USB_PLACE_H

#include <glib.h>

struct usb_place;

/* NULL if it is not a USB device, or the system does not know. */
struct usb_place *usb_place_of(const char *device);
void usb_place_free(struct usb_place *place);

/*
 * The current device path of this adapter; free with g_free. NULL if it is not there. Adapters with
 * equal serial numbers, as cheap ones have, are distinguished by place.
 */
char *usb_place_find(const struct usb_place *place);

/* A persistent name, under which facts about it can be stored; free with g_free. */
char *usb_place_name(const struct usb_place *place);

#endif
