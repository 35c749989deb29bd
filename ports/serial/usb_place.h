/*
 * Which USB adapter a device is, so that it is found again under another name: by its serial
 * number, and by where it is plugged in.
 */
#ifndef WRY_SERIAL_USB_PLACE_H
#define WRY_SERIAL_USB_PLACE_H

#include <glib.h>

struct usb_place;

/* NULL when the device is no USB device, or the system does not tell. */
struct usb_place *usb_place_of(const char *device);
void usb_place_free(struct usb_place *place);

/*
 * The path of the device that is the same adapter now; free with g_free. NULL when it is not there.
 * Several with one serial number, as cheap ones have, are told apart by place.
 */
char *usb_place_find(const struct usb_place *place);

/* A name for it that lasts, for what is remembered of it: free with g_free. */
char *usb_place_name(const struct usb_place *place);

#endif
